"""What covers: whether a sheet, where its art is opaque, hides all that is behind it. Asked of the layer, in one place.

Laid normally and at full opacity it does. Every other way of being laid lets what is behind it have a say, so it does not;
and whatever is not known here counts as not covering.
"""

from clinamen.core.bounds.opaque import OPAQUE, OpaqueSet
from clinamen.core.document import Layer, Scene, is_seen

HIDES = {
    "normal": True
}  # blend modes (Compositing and Blending Level 1) whose result is the source alone where it is opaque


def covers(scene: Scene, layer: Layer, opaque: OpaqueSet) -> bool:
    """True when the layer, as it rests, can hide what is behind it anywhere."""
    return (
        is_seen(scene, layer) and HIDES.get(layer.blend, False) and layer.opacity * 255 >= OPAQUE and not opaque.empty
    )
