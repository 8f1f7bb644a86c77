"""Recipes on layers: a layer with other steps, everything that it shows staying where it is and as large as it is."""

import math
from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from clinamen.core.document import Anchor, Layer, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.parts import Grows, Part
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.shapes import Other
from clinamen.core.prep.steps import STEPS, AnyStep, Crop, Extend

M = TypeVar("M", bound=BaseModel)


def recipe_of(layer: Layer) -> Recipe:
    """The layer's recipe, an empty one where it has none."""
    return layer.recipe or Recipe(width=layer.art.width, height=layer.art.height)


def waiting(scene: Scene, layer: Layer) -> dict[int, str]:
    """Why each step of a layer's recipe that waits does so, by its index: told from sizes alone, before any picture is
    touched."""
    if layer.recipe is None:
        return {}
    others = {other.id: Other(other.label, other.art.width, other.art.height) for other in scene.layers}
    steps = zip(layer.recipe.steps, layer.recipe.frames(), strict=False)
    said = {index: step.waits(frame, others) for index, (step, frame) in enumerate(steps) if step.on}
    return {index: sentence for index, sentence in said.items() if sentence}


def with_steps(layer: Layer, steps: Sequence[AnyStep]) -> Layer:
    """The layer with these steps; size, place and scale follow. BadEdit where the steps cannot be."""
    old = recipe_of(layer)
    try:
        recipe = Recipe(width=old.width, height=old.height, steps=tuple(steps))
    except ValidationError as error:
        raise BadEdit(f"{layer.label}: {said(error)}") from None
    return placed_as_before(layer, recipe)


def placed_as_before(layer: Layer, recipe: Recipe) -> Layer:
    """The layer with another recipe on the same original, what both show staying in place."""
    return shifted(layer, recipe, (0.0, 0.0))


def shifted(layer: Layer, recipe: Recipe, centre: tuple[float, float]) -> Layer:
    """The layer with a recipe on another original whose centre lies at `centre` from the old one's, in its pixels; what both
    show stays in place."""
    before, after = recipe_of(layer).final, recipe.final
    shown = layer.framing.scale * before.zoom  # view pixels per pixel of the original
    dx, dy = shown * (after.dx + centre[0] - before.dx), shown * (after.dy + centre[1] - before.dy)
    angle = math.radians(layer.framing.rotation)
    framing = layer.framing.model_copy(
        update={
            "x": layer.framing.x + dx * math.cos(angle) - dy * math.sin(angle),
            "y": layer.framing.y + dx * math.sin(angle) + dy * math.cos(angle),
            "scale": shown / after.zoom,
        }
    )
    art = layer.art.model_copy(update={"width": after.width, "height": after.height})
    anchor = layer.anchor
    if (
        anchor != Anchor()
    ):  # the point of the picture stays the same, counted from another centre in pixels of another size
        moved = after.dx + centre[0] - before.dx, after.dy + centre[1] - before.dy
        x, y = ((at / before.zoom - by) * after.zoom for at, by in zip((anchor.x, anchor.y), moved, strict=True))
        anchor = Anchor(x=x, y=y)
    changed = {"art": art, "framing": framing, "anchor": anchor, "recipe": recipe if recipe.steps else None}
    return layer.model_copy(update=changed)


def moved_steps(recipe: Recipe, x: int, y: int) -> tuple[list[AnyStep], bool]:
    """The steps for the same picture lying at (x, y) on another canvas, and False where a step that turns or sizes the whole
    canvas keeps them from making the same of it. After a crop all is as it was."""
    steps, frames = list(recipe.steps), list(recipe.frames())
    for index, step in enumerate(steps):
        shapes = frames[index + 1] != frames[index] or step.kind in ("flip", "turn")
        if step.on and shapes and not isinstance(step, (Crop, Extend)):
            return steps, False
        steps[index] = made_step(_moved(step, x, y))
        if step.on and isinstance(step, Crop):
            break
    return steps, True


def _moved(part: Part, x: int, y: int) -> dict[str, Any]:
    """A part's fields, its places moved."""

    def value(name: str, inner: Any) -> Any:
        if isinstance(inner, Part):
            return _moved(inner, x, y)
        if isinstance(inner, tuple):
            return [_moved(each, x, y) if isinstance(each, Part) else each for each in inner]
        return inner + {"x": x, "y": y}.get(name, 0) if name in ("x", "y") else inner

    return {name: value(name, getattr(part, name)) for name in type(part).model_fields}


def made_step(fields: dict[str, Any]) -> AnyStep:
    """A step from plain data with its kind under "step"; BadEdit says what is wrong with it."""
    kind = kind_among(STEPS, "step", fields)
    return checked(kind, str(fields["step"]), fields)


def kind_among(kinds: Mapping[str, type[M]], word: str, fields: Mapping[str, object]) -> type[M]:
    """The registered kind that plain data names under `word`; BadEdit names those there are."""
    kind = kinds.get(str(fields.get(word)))
    if kind is None:
        raise BadEdit(f"{word}: {fields.get(word)!r} is not one of {', '.join(kinds)}")
    return kind


def checked(kind: type[M], title: str, fields: Mapping[str, object]) -> M:
    """A kind's model of plain data; BadEdit, beginning with `title`, says what is wrong first."""
    try:
        return kind.model_validate(fields)
    except ValidationError as error:
        raise BadEdit(f"{title}: {said(error)}") from None


def said(error: ValidationError) -> str:
    """The first thing that is wrong, with the field it is wrong with."""
    first = error.errors(include_url=False)[0]
    path = ".".join(str(part) for part in first["loc"])
    message = first["msg"].removeprefix("Value error, ")
    return f"{path}: {message}" if path else message


def extended(layer: Layer, side: str, pixels: int) -> Layer:
    """The layer with `pixels` more art on a side; a last step that extends in the same way is lengthened."""
    steps = list(recipe_of(layer).steps)
    last = steps[-1] if steps else None
    if isinstance(last, Extend) and last.on and last.method == Extend().method:
        steps[-1] = last.model_copy(update={side: getattr(last, side) + pixels})
    else:
        steps.append(Extend.model_validate({side: pixels}))
    return with_steps(layer, steps)


def scaled_steps(steps: Sequence[AnyStep], factor: float) -> list[AnyStep]:
    """The steps for the same picture at `factor` times its size in pixels."""
    return [made_step(_scaled(step, factor)) for step in steps]


def _scaled(part: Part, factor: float) -> dict[str, Any]:
    """A part's fields, all that grow with the picture times `factor`."""
    kinds = type(part).model_fields
    return {name: _value(getattr(part, name), factor, _grows(kinds[name])) for name in kinds}


def _grows(field: FieldInfo) -> bool:
    return any(isinstance(mark, Grows) for mark in field.metadata)


def _value(value: Any, factor: float, grows: bool) -> Any:
    if isinstance(value, Part):
        return _scaled(value, factor)
    if isinstance(value, tuple):
        return [_value(inner, factor, grows) for inner in value]
    if not grows:
        return value
    if isinstance(value, int):  # sides stay at least one pixel long, lengths of 0 stay 0
        return round(value * factor) or (1 if value > 0 else 0)
    return value * factor
