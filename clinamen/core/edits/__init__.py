"""Every edit of a scene that a user can make; `apply` looks one up by name. A new edit is one function in a module here."""

from clinamen.core.edits import loop, many, move, recipes, scene
from clinamen.core.edits.registry import EDITS, apply
from clinamen.core.edits.scene import camera_track, drift_of, moved_in_depth

__all__ = ["EDITS", "apply", "camera_track", "drift_of", "loop", "many", "move", "moved_in_depth", "recipes", "scene"]
