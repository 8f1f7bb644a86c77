"""Plan and fan as SVG text, for pages that stand by themselves."""

from html import escape

from clinamen.core.drawing.fan import Fan, FanLine
from clinamen.core.drawing.plan import Bar, Plan


def plan_svg(plan: Plan) -> str:
    """The plan or section."""
    name = "Plan" if plan.axis == "x" else "Section"
    eye, left, right = plan.left - 34, plan.left, plan.right
    rays = "".join(f"M{eye} {plan.middle}L{left} {edge}H{right}" for edge in plan.cone)
    parts = [
        f'<polygon class="envelope" points="{plan.envelope}"/>',
        f'<path class="cone" d="{rays}"/>',
        _line("axis", left, plan.floor, right, plan.floor),
        *(_text(x, plan.floor + 17, label, "middle") for x, label in plan.ticks),
        *(_bar(bar) for bar in plan.bars if bar.visible),
    ]
    return _svg(plan.width, plan.height, f"{name}: layers along depth", parts)


def _bar(bar: Bar) -> str:
    if bar.outline:
        tone = f'fill="{bar.colour}" fill-opacity=".4" stroke="{bar.colour}"'
        shape = f'<polygon points="{bar.outline}" {tone}/>'
    else:
        ends = f'x1="{bar.x}" x2="{bar.x}" y1="{bar.start}" y2="{bar.end}"'
        shape = f'<line {ends} stroke="{bar.colour}" stroke-width="5"/>'
    missing = "".join(_line("missing", bar.x, one, bar.x, two) for one, two in bar.missing)
    return f"<g><title>{escape(bar.label)}: depth {bar.depth}</title>{shape}{missing}</g>"


def fan_svg(fan: Fan) -> str:
    """The fan."""
    parts = [
        _line("axis", fan.left, fan.zero, fan.right, fan.zero),
        *(_text(x, fan.floor + 18, label, "middle") for x, label in fan.across),
        *(_line("grid", fan.left, y, fan.right, y) + _text(fan.left - 7, y + 4, label, "end") for y, label in fan.up),
        *(_curve(curve, fan) for curve in fan.curves),
    ]
    return _svg(fan.width, fan.height, f"Fan: offset of every layer over {fan.driver}", parts)


def _curve(curve: FanLine, fan: Fan) -> str:
    name = _text(fan.right + 11, curve.label_y + 4, curve.label[:15], "start")
    title = f"<title>{escape(curve.label)}: {curve.most} {fan.unit}</title>"
    return f'<g>{title}<polyline points="{curve.points}" stroke="{curve.colour}"/>{name}</g>'


def _line(kind: str, x1: float, y1: float, x2: float, y2: float) -> str:
    return f'<line class="{kind}" x1="{x1}" y1="{y1}" x2="{x2}" y2="{y2}"/>'


def _text(x: float, y: float, words: str, anchor: str) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}">{escape(words)}</text>'


def _svg(width: float, height: float, label: str, parts: list[str]) -> str:
    inside = "\n".join(parts)
    return f'<svg class="drawing" viewBox="0 0 {width} {height}" role="img" aria-label="{escape(label)}">{inside}</svg>'
