"""Make room: letters moved apart around a subject in front of them, so that each stays readable over the whole move.

What the subject hides of the words is worked out at many states, on a raster of the words' art. Of each line one
stretch that it ever hides may be left open: letters before it go left, those after it right.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Bools, Floats
from clinamen.core.document import Art, Layer, Scene, is_seen
from clinamen.core.made.kinds.words import Words
from clinamen.core.made.lettering import Letter, set_words
from clinamen.core.made.sources import Sources
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import States
from clinamen.core.stage import stage

Alpha = NDArray[np.uint8]
ALONG = 25  # states over each driver
LONGEST = 480  # px: longest side of the raster that is looked at
SOLID = 128  # of the subject's alpha: what hides
FARTHEST = 2.5  # of the size: how far a letter may go
GAP = 0.08  # of the size: clear air between a letter and the subject


@dataclass(frozen=True)
class Hidden:
    """What a subject hides of the words' art: masks [N, h, w] over states, at `scale` pixels an art pixel."""

    masks: Bools
    scale: float


def hidden_by(scene: Scene, words: Layer, subject: Layer, alpha: Alpha) -> Hidden:
    """What the subject hides over the whole move, with room beside the words for letters that go apart; `alpha` [h, w] is its
    art's, of an actor all cells together."""
    wide, high = 2 * words.art.width, words.art.height
    scale = min(1.0, LONGEST / max(wide, high))
    size = max(1, round(wide * scale)), max(1, round(high * scale))
    states = _states(scene)
    staged = stage(scene, states, Motion(scene))
    one, two = staged[words.id].matrix, staged[subject.id].matrix
    to_raster = np.array([[scale, 0, size[0] / 2], [0, scale, size[1] / 2], [0, 0, 1]])
    across, down = subject.art.width, subject.art.height
    from_art = np.diag([across / alpha.shape[1], down / alpha.shape[0], 1.0])
    from_art[:2, 2] = -across / 2, -down / 2
    masks = np.zeros((len(states), size[1], size[0]), bool)
    for index in range(len(states)):
        if staged[subject.id].opacity[index] <= 0 or not is_seen(scene, subject):
            continue
        matrix = to_raster @ np.linalg.solve(one[index], two[index]) @ from_art
        masks[index] = cv2.warpPerspective(alpha, matrix, size, flags=cv2.INTER_LINEAR) >= SOLID
    return Hidden(masks, scale)


def _states(scene: Scene) -> States:
    drivers, rows = scene.drivers, [(0.0, 0.0, 0.0, 0.0)]
    even = np.linspace(0, 1, ALONG)
    rows += [(float(t), 0.0, 0.0, 0.0) for t in even if drivers.scroll]
    rows += [(0.0, 0.0, 0.0, float(t) * drivers.time.duration) for t in even if drivers.time]
    rows += [(0.0, u, v, 0.0) for u in (-1.0, 1.0) for v in (-1.0, 1.0) if drivers.pointer]
    scroll, u, v, time = (np.array(column) for column in zip(*rows, strict=True))
    return States(scroll=scroll, u=u, v=v, time=time)


def apart_for(words: Words, hidden: Hidden) -> tuple[float, ...]:
    """How far each letter goes along its line: of all ways to leave a hidden stretch open, none far, the one after which the
    letter that is seen least is seen most; of equal ones, and where nothing helps, the least move."""
    letters = set_words(words.model_copy(update={"apart": ()})).letters
    moved = [0.0] * len(letters)
    for line in sorted({letter.line for letter in letters}):
        numbers = [i for i, letter in enumerate(letters) if letter.line == line]
        row = [letters[i] for i in numbers]
        top, low = _rows(words, row[0], hidden)
        share = hidden.masks[:, top:low].mean(axis=1) if low > top else np.zeros((1, hidden.masks.shape[2]))
        summed = np.concatenate([np.zeros((len(share), 1)), np.cumsum(share, axis=1)], axis=1)
        ways = [[0.0] * len(row)]
        for span in _spans(share.max(axis=0) > 0, hidden.scale, row):
            ways += [_around(row, split, span, GAP * words.size) for split in range(len(row) + 1)]
        near = [way for way in ways if max(map(abs, way)) <= FARTHEST * words.size]
        scored = [(round(_least_seen(row, way, summed, hidden.scale), 2), -max(map(abs, way)), way) for way in near]
        for i, by in zip(numbers, max(scored)[2], strict=True):
            moved[i] = round(float(by), 2) + 0.0
    return tuple(moved)


def _around(row: Sequence[Letter], split: int, span: tuple[float, float], gap: float) -> list[float]:
    """Letters before a split go left of a stretch, the others right of it."""
    before, after = row[:split], row[split:]
    left = max([0.0, *(each.x + each.advance - (span[0] - gap) for each in before[-1:])])
    right = max([0.0, *(span[1] + gap - each.x for each in after[:1])])
    return [-left] * len(before) + [right] * len(after)


def _least_seen(row: Sequence[Letter], way: Sequence[float], summed: Floats, scale: float) -> float:
    """The share of its box that is seen of the letter of which least is seen, at its worst state."""
    wide, least = summed.shape[1] - 1, 1.0
    for letter, by in zip(row, way, strict=True):
        left, right = (round((x + by) * scale + wide / 2) for x in (letter.x, letter.x + letter.advance))
        if letter.path and right > left:
            inside = np.clip([left, right], 0, wide)
            least = min(least, 1 - float((summed[:, inside[1]] - summed[:, inside[0]]).max()) / (right - left))
    return least


def _band(words: Words, letter: Letter) -> tuple[float, float]:
    """Top and bottom of what a line's letters mostly fill, from the art's middle."""
    return letter.y - 0.75 * words.size, letter.y + 0.2 * words.size


def _rows(words: Words, letter: Letter, hidden: Hidden) -> tuple[int, int]:
    """The same as rows of the raster."""
    high = hidden.masks.shape[1]
    top, low = (int(np.clip(round(y * hidden.scale + high / 2), 0, high)) for y in _band(words, letter))
    return top, low


def _spans(columns: Bools, scale: float, row: Sequence[Letter]) -> list[tuple[float, float]]:
    """The stretches of a line that are ever hidden and meet letters; art pixels from the middle."""
    at = np.flatnonzero(columns)
    runs = np.split(at, np.flatnonzero(np.diff(at) > 1) + 1) if len(at) else []
    first, last = min(each.x for each in row), max(each.x + each.advance for each in row)
    spans = [((run[0] - len(columns) / 2) / scale, (run[-1] + 1 - len(columns) / 2) / scale) for run in runs]
    return [span for span in spans if span[1] > first and span[0] < last]


def seen_shares(words: Words, hidden: Hidden) -> list[tuple[str, float]]:
    """Each letter with the share of its ink that is seen at its worst state."""
    high, wide = hidden.masks.shape[1:]
    size = round(wide / hidden.scale), round(high / hidden.scale)
    ink = words.paint(*size, hidden.scale, Sources(lambda name: ([], 1, 1)))[:high, :wide, 3].astype(float)
    found = []
    for letter in set_words(words).letters:
        if not letter.path:
            continue
        left, right = (
            int(np.clip(round(x * hidden.scale + wide / 2), 0, wide)) for x in (letter.x, letter.x + letter.advance)
        )
        top, low = _rows(words, letter, hidden)
        part = ink[top:low, left:right]
        total = float(part.sum())
        if total:
            hid: Floats = (hidden.masks[:, top:low, left:right] * part).sum(axis=(1, 2))
            found.append((letter.text, 1 - float(hid.max()) / total))
    return found


def with_room(scene: Scene, words: Layer, subject: Layer, alpha: Alpha) -> tuple[Layer, list[tuple[str, float]]]:
    """The words with letters apart around the subject, and what is seen of each letter then."""
    made = words.art.made
    assert isinstance(made, Words)
    hidden = hidden_by(scene, words, subject, alpha)
    moved = made.model_copy(update={"apart": apart_for(made, hidden)})
    width, height = moved.fitted()
    return words.model_copy(update={"art": Art(made=moved, width=width, height=height)}), seen_shares(moved, hidden)
