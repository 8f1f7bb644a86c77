"""The room Depth: plan, section and turntable; spacing, the ground, how sheets stand, the lens."""

from typing import Any

from clinamen.core.cached import cached_property
from clinamen.core.document import Layer
from clinamen.core.drawing import plan, turntable
from clinamen.core.edits.depth import by_rate, resting_rate
from clinamen.core.edits.groups import shift_of
from clinamen.core.edits.lens import angles_of
from clinamen.core.edits.spacing import SPACINGS, Spacing
from clinamen.core.ground import PLANES, foot_at
from clinamen.core.quantities import shown
from clinamen.core.shifting import plainly_shifted
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk

SAYS = {
    "plan": "from above, as the resting camera sees it · across in view px, along by rate",
    "section": "from the side, as the resting camera sees it · across in view px, along by rate",
    "turntable": "the cards in space, along by rate: drag to look from elsewhere",
}


@room
class DepthRoom(LayerDesk):
    id = "depth"
    name = "Depth"

    @property
    def drawn(self) -> str:
        """Which drawing is open."""
        if self.choice.drawn == "turntable":
            return "turntable"
        return "section" if self.choice.axis == "y" else "plan"

    @property
    def drawing_says(self) -> str:
        return SAYS[self.drawn]

    @cached_property
    def plan(self) -> plan.Plan:
        axis: plan.Axis = "y" if self.choice.axis == "y" else "x"
        return self.once(
            ("plan", axis, self.choice.drawing),
            lambda: plan.draw(self.document, self.sets, axis, *self.choice.drawing, needs=self.needs),
        )

    @property
    def sheets(self) -> list[dict[str, Any]]:
        """The plan's bars, each with all that its markup depends on."""
        told = [(bar, bar.id == self.choice.layer, bar.id in self.choice.many) for bar in self.plan.bars]
        return [
            {"bar": bar, "chosen": chosen, "among": among, "says": (bar, chosen, among)} for bar, chosen, among in told
        ]

    @cached_property
    def turntable(self) -> turntable.Turntable:
        return turntable.draw(self.document, self.choice.drawing[1])

    @property
    def turn_cards(self) -> list[dict[str, Any]]:
        layers = self.document.layers
        return [
            {"card": card, "layer": layer, "art": self.card_address(layer)}
            for card, layer in zip(self.turntable.cards, layers, strict=True)
        ]

    @property
    def beside(self) -> dict[str, str] | None:
        """The same scene, its layers only shifted."""
        if self.choice.beside != "plain":
            return None
        return self._beside(plainly_shifted(self.document), "plain shifting", "perspective")

    @property
    def stage(self) -> dict[str, Any]:
        made, foot = self.document, foot_at(self.layer) if self.layer else None
        across, down = made.view.width / 2, made.view.height / 2
        horizon = down + made.ground.horizon
        marks = {
            "horizon": round(horizon, 2), "meets": round(horizon + made.ground.eye, 2),
            "foot": [round(across + foot[0], 2), round(down + foot[1], 2)] if foot else None,
            "says": f"Foot of {self.layer.label}" if self.layer else "",
        }  # fmt: skip
        return {**super().stage, "ground": marks}

    @property
    def chosen_many(self) -> list[Layer]:
        return [layer for layer in self.document.layers if layer.id in self.choice.many]

    @property
    def spacings(self) -> list[Spacing]:
        return list(SPACINGS.values())

    @cached_property
    def others(self) -> list[tuple[str, str]]:
        """Other layers to match the rate of, the farthest first."""
        found = [layer for layer in by_rate(self.document) if layer is not self.layer]
        named = [(each.id, f"{each.label}, {shown(resting_rate(self.document, each), 2)}") for each in found]
        return [("", "that of another layer"), *named]

    @property
    def planes(self) -> list[tuple[str, str]]:
        tilted = self.layer is not None and (self.layer.tilt.lean or self.layer.tilt.turn)
        kinds = [(id, plane.word) for id, plane in PLANES.items()]
        return [
            ("", "as it is turned") if tilted else ("", "upright"),
            *([("upright", "upright")] if tilted else []),
            *kinds,
        ]

    @property
    def foot_below(self) -> float | None:
        """How far below the horizon the chosen layer's foot is, in view px."""
        foot = foot_at(self.layer) if self.layer else None
        return None if foot is None else foot[1] - self.document.ground.horizon

    @property
    def group_shift(self) -> float:
        return shift_of(self.document, self.layer.group) if self.layer and self.layer.group else 0.0

    @property
    def says(self) -> tuple[object, ...]:
        hands = self.choice.hold, self.choice.stops, self.choice.lens_keeps
        many = [layer.label for layer in self.chosen_many]
        return (*super().says, *hands, *many, self.foot_below, self.document.ground.as_json)

    @cached_property
    def texts(self) -> dict[str, str]:
        assert self.layer is not None
        tilt, ground, angles = self.layer.tilt, self.document.ground, angles_of(self.document)
        return {
            **super().texts, "lean": f"{shown(tilt.lean, 1)}°", "turn": f"{shown(tilt.turn, 1)}°",
            "horizon": shown(self.document.view.height / 2 + ground.horizon, 1), "eye": shown(ground.eye, 1),
            "angle_down": f"{shown(angles['angle_down'], 1)}°", "angle_aslant": f"{shown(angles['angle_aslant'], 1)}°",
            "shift": shown(self.group_shift, 1),
        }  # fmt: skip
