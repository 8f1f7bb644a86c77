"""What of a scene is filmed: all of it, one layer, or a group; and how large."""

from clinamen.core.document import Scene, group_names, is_seen, ungrouped
from clinamen.core.errors import BadEdit

MOST_PIXELS = 64_000_000


def part_of(scene: Scene, only: str) -> Scene:
    """The scene with all but one layer (its id or name) or group (its name) hidden; the whole where `only` is empty. What is
    asked for by name is seen, hidden or not; who carries it carries it."""
    wanted = only.strip()
    if not wanted:
        return scene
    chosen = {x.id for x in scene.layers if wanted in (x.id, x.name)}
    chosen = chosen or {x.id for x in scene.layers if wanted in group_names(x.group)}
    if not chosen:
        raise BadEdit(f"only: there is no layer or group {wanted!r}; write its name as it stands in the scene")
    named = len(chosen) == 1
    layers = [x.model_copy(update={"visible": x.id in chosen and (is_seen(scene, x) or named)}) for x in scene.layers]
    return ungrouped(scene).model_copy(update={"layers": tuple(layers)})


def size_of(scene: Scene, scale: float) -> tuple[int, int]:
    """Width and height of the view's picture at a scale."""
    view = scene.view
    width, height = max(1, round(view.width * scale)), max(1, round(view.height * scale))
    if not 0 < scale <= 8 or width * height > MOST_PIXELS:
        raise BadEdit(
            f"scale: {scale:g} is not possible; a frame may have at most {MOST_PIXELS // 1_000_000} megapixels"
        )
    return width, height
