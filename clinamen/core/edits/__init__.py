"""Every edit of a scene that a user can make; `apply` looks one up by name. A new edit is one function in a module here."""

from clinamen.core.edits import (
    accept,
    act,
    carry,
    dress,
    enter,
    knots,
    look,
    loop,
    make,
    many,
    move,
    path,
    pose,
    recipes,
    retime,
    scene,
    settle,
)
from clinamen.core.edits.registry import EDITS, apply
from clinamen.core.edits.scene import drift_of, moved_in_depth, track_of

__all__ = [
    "EDITS",
    "accept",
    "act",
    "apply",
    "carry",
    "dress",
    "drift_of",
    "enter",
    "knots",
    "look",
    "loop",
    "make",
    "many",
    "move",
    "moved_in_depth",
    "path",
    "pose",
    "recipes",
    "retime",
    "scene",
    "settle",
    "track_of",
]
