"""Test vectors: what a reader of the kit has to come to at twenty states, so that an importer can prove itself.

`vectors.json` holds a list of states with each layer's matrix from art pixels (from the art's centre) to view pixels, row by row,
scaled so that its last number is 1, its opacity and its softness; every fourth state comes with a small picture.
"""

import json
from typing import Any

from clinamen.core.document import Scene, is_seen
from clinamen.core.exports.base import Files
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, evenly_spread
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.raster import render
from clinamen.core.stage import stage_at

COUNT = 20
PICTURED = 4  # every so many-th state has a picture
LONGEST = 320  # px of a picture
PAST = 1.25  # of the clock's duration: times past its end are tried too


def states_of(scene: Scene) -> list[State]:
    """The resting state, every driver's end by itself, then states spread evenly over all that is on."""
    drivers = scene.drivers
    duration = drivers.time.duration if drivers.time else 0.0
    ends = [State()]
    if drivers.scroll:
        ends.append(State(1.0))
    if drivers.pointer:
        ends += [State(0.0, (1.0, 1.0)), State(0.0, (-1.0, 1.0))]
    if drivers.time:
        ends.append(State(time=duration))
    for scroll, u, v, time in evenly_spread(COUNT - len(ends)):
        pointer = (round(float(2 * u - 1), 3), round(float(2 * v - 1), 3)) if drivers.pointer else (0.0, 0.0)
        ends.append(
            State(round(float(scroll), 3) if drivers.scroll else 0.0, pointer, round(float(time) * duration * PAST, 3))
        )
    return ends


def vectors(scene: Scene, shelf: ArtShelf) -> Files:
    """The vectors and their pictures, by path; layers that are not visible are left out."""
    files: Files = {}
    told: list[dict[str, Any]] = []
    motion = Motion(scene)
    bare = scene.model_copy(update={"frame": type(scene.frame)()})  # which an engine lays over everything itself
    scale = min(1.0, LONGEST / max(scene.view.width, scene.view.height))
    load = shelf.loader(scene, scale)
    for number, state in enumerate(states_of(scene)):
        sheets = [sheet for sheet in stage_at(scene, state, motion).sheets if is_seen(scene, sheet.layer)]
        layers = [
            {
                "id": sheet.layer.id, "matrix": (sheet.matrix[0] / sheet.matrix[0, 2, 2]).ravel().tolist(),
                "opacity": float(sheet.opacity[0]), "blur": float(sheet.blur[0]),
                **({"cell": int(sheet.frame[0])} if sheet.layer.frames else {}),
            }
            for sheet in sheets
        ]  # fmt: skip
        entry: dict[str, Any] = {"state": state.to_json(), "layers": layers}
        if number % PICTURED == 0:
            entry |= {"picture": f"vectors/{number:02d}.png", "scale": scale}
            # a reader samples between four pixels, as the kit's documentation says; so do its vectors
            picture = render(bare, state, load, scale, motion=motion, sampling="draft")
            files[entry["picture"]] = encode_png(picture[..., :3].copy())
        told.append(entry)
    files["vectors.json"] = json.dumps({"format": "clinamen/vectors", "version": 1, "states": told}, indent=1).encode()
    return files
