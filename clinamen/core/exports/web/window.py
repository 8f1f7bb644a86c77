"""What a window that is not of the view's shape cuts off, and the poster that lies over a scene until its art is there."""

from clinamen.core.document import View
from clinamen.core.quantities import plain


def focused(prefix: str, view: View, focus: tuple[float, float]) -> list[str]:
    """Where the window cuts the view, the focal point stays as far from its middle as it may."""
    if focus == (0.5, 0.5):
        return []
    moved = [
        f"calc({plain(0.5 - share)}*(var(--{prefix}-fit)*{size}px - 100cq{axis}))"
        for share, size, axis in zip(focus, (view.width, view.height), "wh", strict=True)
    ]
    return [f".{prefix}-host[data-fit=cover] .{prefix}-stage{{translate:{' '.join(moved)}}}"]


def veil(prefix: str, focus: tuple[float, float]) -> list[str]:
    """The poster lies over the scene until a player says that the art is there; without a script it is not shown, and with
    a script that never comes it goes by itself."""
    across, down = (plain(100 * share) for share in focus)
    return [
        f".{prefix}-poster{{display:none;position:absolute;inset:0;width:100%;height:100%;object-fit:cover;"
        f"object-position:{across}% {down}%;pointer-events:none;animation:{prefix}-gone 0s 8s both}}",
        f".{prefix}-host[data-fit=contain] .{prefix}-poster{{object-fit:contain;object-position:center}}",
        f"@media screen and (scripting:enabled){{.{prefix}-run:not([data-loaded]) .{prefix}-poster{{display:block}}}}",
        f"@keyframes {prefix}-gone{{to{{visibility:hidden}}}}",
    ]
