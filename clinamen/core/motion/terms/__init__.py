"""The terms that make a channel's value, in the order they are summed: rest, curves over drivers, drifts, the pointer."""

from clinamen.core.motion.terms import curve, drift, pointer, rest
from clinamen.core.motion.terms.base import Names, Term, TermModule
from clinamen.core.motion.terms.curve import CurveTerm
from clinamen.core.motion.terms.rest import Rest, resting_camera, resting_layer

TERM_MODULES: tuple[TermModule, ...] = (rest, curve, drift, pointer)

__all__ = ["TERM_MODULES", "CurveTerm", "Names", "Rest", "Term", "TermModule", "resting_camera", "resting_layer"]
