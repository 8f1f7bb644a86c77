"""How an actor plays, and how its feet meet the ground."""

from clinamen.core.document import Scene
from clinamen.core.edits.registry import Edited, Values, choice, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.motion.cells import period
from clinamen.core.quantities import number, shown

PLAYS = ("cycle", "once", "to-and-fro")


@edit("actor")
def set_actor(scene: Scene, values: Values) -> Edited:
    """An actor's `fps`, `offset`, `play` and `count`, each where it is given."""
    layer = layer_of(scene, values)
    if layer.frames is None:
        raise BadEdit(f"{layer.label}: is one picture, not an actor; bring its cells in first")
    frames, new = layer.frames, dict[str, object]()
    if "fps" in values:
        new["fps"] = number(values["fps"], "cells a second", 0.01, 240, "fps")
    if "offset" in values:
        new["offset"] = number(values["offset"], "offset", -36000, 36000, "s ms")
    if "count" in values:
        new["count"] = int(number(values["count"], "cells", 1, frames.columns * frames.rows))
    if "play" in values:
        new["play"] = choice(values, "play", PLAYS)
    changed = frames.model_copy(update=new)
    says = f"{layer.label} plays {shown(changed.fps)} cells a second, {shown(period(changed), 3)} s in all"
    return with_layer(scene, layer.model_copy(update={"frames": changed})), says
