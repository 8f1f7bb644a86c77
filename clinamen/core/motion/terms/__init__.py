"""The terms that make a channel's value, in the order in which they are summed: rest, curves over drivers, the pointer."""

from clinamen.core.motion.terms import curve, pointer, rest
from clinamen.core.motion.terms.base import Names, Term, TermModule
from clinamen.core.motion.terms.curve import CurveTerm
from clinamen.core.motion.terms.rest import Rest, resting_camera, resting_layer

TERM_MODULES: tuple[TermModule, ...] = (rest, curve, pointer)

__all__ = ["TERM_MODULES", "CurveTerm", "Names", "Rest", "Term", "TermModule", "resting_camera", "resting_layer"]
