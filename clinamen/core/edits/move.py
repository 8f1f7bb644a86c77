"""A camera move made ordinary keys: named, of a size, over a driver, landing on the picture at its end or leaving from it."""

from clinamen.core import document
from clinamen.core.document import Key, Scene, Track, channels_of
from clinamen.core.edits.registry import Edited, Values, choice, edit
from clinamen.core.errors import BadEdit
from clinamen.core.motion.moves import MOVES
from clinamen.core.quantities import number

LANDINGS = ("end", "start")  # where the camera stands as the picture was composed


@edit("move")
def make_move(scene: Scene, values: Values) -> Edited:
    """Let the camera make a `move` of a `size` (a usual one where none is given) over a `driver`; `land`: whether its "end" or
    its "start" is exactly the resting framing. The channels that it moves are keyed anew over that driver, in one step of undo.
    """
    move = MOVES[choice(values, "move", tuple(MOVES))]
    driver, land = choice(values, "driver", ("scroll", "time")), choice(values, "land", LANDINGS)
    if not scene.drivers.is_on(driver):
        raise BadEdit(f"{driver}: is switched off; switch it on first")
    most = 90.0 if move.unit == "°" else scene.lens_distance * 0.9
    typed = values.get("size", "").strip()
    size = number(typed, "size", -most, most, "px ° deg") if typed else move.size
    if size == 0:
        raise BadEdit("size: a move of 0 is none; type how far it goes")
    ease = choice(values, "ease", document.EASING_NAMES) if values.get("ease") else "ease-in-out"
    end, travel = scene.drivers.end(driver), move.travel(size, scene)
    tracks = [
        t for t in scene.tracks if t.drift or t.target != "camera" or t.driver != driver or t.channel not in travel
    ]
    for channel, far in travel.items():
        rest = channels_of("camera")[channel].rest
        if land == "end":  # it comes from as far away on the other side
            first, last = (1 / far if channels_of("camera")[channel].combine == "multiply" else -far), rest
        else:
            first, last = rest, far
        keys = (Key(at=0, value=first, ease=ease), Key(at=end, value=last))
        tracks.append(Track(target="camera", channel=channel, driver=driver, keys=keys))
    lands = "lands on the picture" if land == "end" else "leaves from the picture"
    return scene.model_copy(update={"tracks": tuple(tracks)}), f"Camera: {move.name} by {size:g} {move.unit}, {lands}"
