"""Fixes that several checks offer: which edit each is, with what values, and what its button says."""

import json
from collections.abc import Mapping

from clinamen.core.checks.base import Fix
from clinamen.core.document import Layer, Scene
from clinamen.core.quantities import counted, plain, shown


def scale(layer: Layer, value: float) -> Fix:
    """Another framing scale."""
    return Fix(
        "scale", value, "framing", {"layer": layer.id, "scale": plain(value)}, f"Scale {layer.label} to {value:g}"
    )


def scale_many(scene: Scene, scales: Mapping[str, float]) -> Fix:
    """Other framing scales of several layers, by layer id; its value is the ratio farthest from 1."""
    ratios = (value / scene.layer(name).framing.scale for name, value in scales.items())
    most = max(ratios, key=lambda ratio: abs(ratio - 1))
    way = "" if most > 1 else " down"
    text = f"Scale {counted(len(scales), 'layer')}{way}, by up to {shown(100 * abs(most - 1), 1)} %"
    return Fix("scale", most, "scale-many", {"scales": json.dumps(scales)}, text)


def extend(layer: Layer, side: str, pixels: int) -> Fix:
    """Art pixels added to one side, by a step of the recipe."""
    values = {"layer": layer.id, "side": side, "pixels": str(pixels)}
    return Fix("extend", float(pixels), "extend", values, f"Extend {layer.label} {pixels} px on the {side}")


def repeat(layer: Layer, axis: str) -> Fix:
    """Art that goes on where it ends, mirrored, so that no joint is seen."""
    where = "across" if axis == "x" else "down"
    return Fix(
        "repeat",
        0.0,
        "layer",
        {"layer": layer.id, f"repeat_{axis}": "mirror"},
        f"Let {layer.label} go on {where}, mirrored",
    )


def pointer_reach(axis: str, value: float, before: float) -> Fix:
    """A shorter reach of the pointer along an axis, its sign kept."""
    text = f"Let the pointer reach {value:g} px instead of {before:g}"
    return Fix("reach", value, "pointer-reach", {"axis": axis, "reach": plain(value)}, text)


def travel(driver: str, share: float) -> Fix:
    """A share of the camera's travel over a driver."""
    text = f"Shorten the camera's travel over {driver} to {share:.1%}"
    return Fix("reach", share, "shorten", {"driver": driver, "share": plain(share)}, text)


def solid_inside(layer: Layer, beyond: float) -> Fix:
    """A cut piece made solid away from its edge."""
    return Fix("solid", beyond, "tidy", {"layer": layer.id, "solid": plain(beyond)}, f"Make {layer.label} solid inside")


def fill_behind(layer: Layer, index: int, reach: float) -> Fix:
    """A fill that reaches from every outline to the middle."""
    values = {"layer": layer.id, "index": str(index), "reach": f"{reach:.0f}"}
    return Fix("fill", reach, "step-set", values, f"Fill {layer.label} all the way")
