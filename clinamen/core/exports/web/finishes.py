"""Finishes as CSS: what a layer wears as a filter and a mask, and frost as a filter of what lies behind it."""

from clinamen.core.document import Backdrop, Layer
from clinamen.core.exports.web.shown import Shown
from clinamen.core.finish import Worn
from clinamen.core.made.kinds import Panel
from clinamen.core.quantities import plain


def worn_rules(selector: str, layer: Layer, worn: Worn | None, name: str) -> list[str]:
    """A finish as a filter, whose element has the id `name`, and a mask of what shows the art; none where nothing is worn."""
    if worn is None:
        return []
    style = [f"filter:url(#{name})"] if worn.svg else []
    style += [f"mask-image:{worn.mask};mask-composite:intersect"] if worn.mask else []
    if not style:
        return []
    # on a layer of its own in the browser, so that a change of one finish draws no other anew
    return [
        f"{selector}{{will-change:transform}}",
        f"{selector} {'b' if layer.frames else ':is(img,i)'}{{{';'.join(style)}}}",
    ]


def frost_rules(selector: str, layer: Layer, picture: Shown, frost: Backdrop, opacity: str) -> list[str]:
    """What lies under a sheet's picture and filters all behind it, in the sheet's shape. An element that is faded itself has
    nothing behind it that counts, so picture and frost are faded instead."""
    blur = plain(frost.blur / layer.framing.scale)
    left, top, width, height = picture.part
    shape = f"left:{left}px;top:{top}px;width:{width}px;height:{height}px"
    if isinstance(layer.art.made, Panel):
        shape += f";border-radius:{plain(layer.art.made.radius)}px"
    else:
        url = picture.sources[-1][1].split(", ")[-1].split(" ")[0] if picture.sources else picture.src
        shape += f';mask:url("{url}") 0 0/100% 100% no-repeat'
    faded = [] if opacity == "1" else [f"{selector} :is(u,img,i,b){{opacity:{opacity}}}"]
    filters = f"blur({blur}px)" + (f" saturate({plain(frost.saturation)})" if frost.saturation != 1 else "")
    return [f"{selector} u{{position:absolute;{shape};backdrop-filter:{filters}}}", *faded]
