"""A camera move made ordinary keys: named, of a size, over a driver, landing on the picture at its end or leaving from it."""

from clinamen.core import document
from clinamen.core.document import Scene, channels_of
from clinamen.core.edits.changes import from_to
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, places_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.moves import MOVES
from clinamen.core.quantities import number

LANDINGS = ("end", "start")  # where the camera stands as the picture was composed


@edit("move")
def make_move(scene: Scene, values: Values) -> Edited:
    """Let the camera make a `move` of a `size` (a usual one where none is given) over a `driver`, between its places `from`
    and `to`; `land`: whether its "end" or its "start" is exactly the resting framing. The channels that it moves are keyed
    anew over that driver, in one step of undo."""
    move = MOVES[choice(values, "move", tuple(MOVES))]
    driver, land = driver_of(scene, values), choice(values, "land", LANDINGS)
    most = 90.0 if move.unit == "°" else scene.lens_distance * 0.9
    typed = values.get("size", "").strip()
    size = number(typed, "size", -most, most, "px ° deg") if typed else min(move.usual(scene), most)
    places = places_of(scene, values, driver)
    if size == 0:
        raise BadEdit("size: a move of 0 is none; type how far it goes")
    ease = choice(values, "ease", document.EASING_NAMES) if values.get("ease") else "ease-in-out"
    travel = move.travel(size, scene)
    tracks = [
        t for t in scene.tracks if t.drift or t.target != "camera" or t.driver != driver or t.channel not in travel
    ]
    for channel, far in travel.items():
        row = channels_of("camera")[channel]
        away = (
            1 / far if row.combine == "multiply" else -far
        )  # as far on the other side: where one that lands comes from
        first, last = (away, row.rest) if land == "end" else (row.rest, far)
        tracks.append(from_to(scene, "camera", channel, driver, first, last, ease, places))
    lands = "lands on the picture" if land == "end" else "leaves from the picture"
    return scene.model_copy(update={"tracks": tuple(tracks)}), f"Camera: {move.name} by {size:g} {move.unit}, {lands}"
