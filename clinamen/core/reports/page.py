"""A page that prints: the scene, plan, section and fan, every finding with its moment, what was accepted and why, every layer.

It stands by itself: no script, no font and no picture from elsewhere, so that it can be kept beside what was delivered.
"""

from base64 import b64encode
from collections.abc import Sequence
from html import escape
from pathlib import Path

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.bounds.speeds import NORMAL, QUICK, top_speeds
from clinamen.core.checks import CHECKS, Subject
from clinamen.core.checks.base import Finding
from clinamen.core.checks.speed import pace_of
from clinamen.core.checks.tally import tally
from clinamen.core.document import Layer, Scene, described, resting_depth, seen_layers
from clinamen.core.drawing import fan, plan
from clinamen.core.drawing.marked import marked
from clinamen.core.edits.depth import by_rate, resting_rate
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_webp
from clinamen.core.quantities import counted, shown
from clinamen.core.reports.base import Proved, Report
from clinamen.core.reports.drawings import fan_svg, plan_svg

WIDE, MOMENT = 640, 300  # px: the scene's picture, and that of a moment
MOST_MOMENTS = 40
SIGNS = {"error": "▲", "warning": "●", "note": "○"}
STYLE = Path(__file__).with_name("page.css")


class Page(Report):
    id = "html"
    name = "a page that prints"

    def write(self, proved: Proved) -> bytes:
        scene, subject = proved.scene, proved.subject
        counting = [finding for finding in proved.findings if finding.counts]
        noted = [finding for finding in proved.findings if not finding.counts and finding.accepted is None]
        accepted = [finding for finding in proved.findings if finding.accepted is not None]
        parts = [
            f"<h1>{escape(scene.title)}</h1>", f'<p class="quiet">{escape(_facts(scene, proved.source))}</p>',
            _verdict(counting, Motion(scene).still),
            _picture(subject, State(), WIDE, "scene", f"The scene at rest: {described(scene)}"),
            *(_drawings(subject) if subject else []),
            _section("What fails", counting, subject, "Nothing fails: over every state of every driver the move holds."),
            _section("Worth a look", noted, subject, ""), _section("Accepted as intended", accepted, subject, ""),
            _silent(proved.findings), *([_layers(subject)] if subject else []),
        ]  # fmt: skip
        body = "\n".join(part for part in parts if part)
        title = escape(f"Proof of {scene.title}")
        page = (
            f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
            f"<title>{title}</title><style>{STYLE.read_text()}</style></head><body>\n{body}\n</body></html>\n"
        )
        return page.encode()


def _facts(scene: Scene, source: str) -> str:
    view, lens, drivers = scene.view, scene.lens, scene.drivers
    on = [name for name in ("scroll", "pointer", "time") if drivers.is_on(name)]
    told = [
        source,
        counted(len(scene.layers), "layer"),
        f"{view.width} × {view.height} px",
        f"{lens.focal_length:g} mm lens",
    ]
    return " · ".join(filter(None, [*told, "driven by " + ", ".join(on) if on else "nothing drives it"]))


def _verdict(counting: list[Finding], still: bool) -> str:
    told = tally(counting)
    if not told and still:
        return '<p class="verdict">○ Nothing moves yet</p>'
    if not told:
        return '<p class="verdict holds">✓ Holds everywhere</p>'
    words = [f'<span class="{x.severity}">{SIGNS[x.severity]} {x.count} {escape(x.name)}</span>' for x in told]
    return f'<p class="verdict">{" · ".join(words)}</p>'


def _drawings(subject: Subject) -> list[str]:
    scene = subject.scene
    if not scene.layers:
        return []
    axes: tuple[plan.Axis, plan.Axis] = ("x", "y")
    plans = [plan_svg(plan.draw(scene, subject.sets, axis, needs=subject.needs)) for axis in axes]
    moves = any(scene.drivers.is_on(name) for name in ("scroll", "pointer", "time"))
    return ["<h2>Plan, section and fan</h2>", *plans, *([fan_svg(fan.draw(scene))] if moves else [])]


def _section(title: str, findings: list[Finding], subject: Subject | None, empty: str) -> str:
    if not findings:
        return f'<h2>{title}</h2><p class="holds">✓ {empty}</p>' if empty else ""
    return f"<h2>{title}</h2>" + "\n".join(_finding(f, subject, n < MOST_MOMENTS) for n, f in enumerate(findings))


def _finding(finding: Finding, subject: Subject | None, with_picture: bool) -> str:
    meant, message = finding.accepted is not None, finding.message
    picture = _picture(subject, finding.state, MOMENT, "", "The moment, marked", finding) if with_picture else ""
    amount = f'<span class="mono">{shown(finding.amount, 1)} {escape(finding.unit)}</span>'
    cures = "".join(f"<li>{escape(fix.text)}</li>" for fix in finding.fixes)
    told = [
        f'<h3 class="{finding.severity}">{SIGNS[finding.severity]} {escape(finding.name.capitalize())} {amount}</h3>',
        f"<p>{escape(message[:1].upper() + message[1:])}.</p>",
        f'<p class="quiet">{escape(finding.moment)}</p>' if finding.moment and finding.moment not in message else "",
        f'<p class="quiet">How sure: {escape(finding.sure)}.</p>',
        f"<p>What mends it:</p><ul>{cures}</ul>" if cures and not meant else "",
        f"<p>✓ Accepted: {escape(finding.accepted or 'as intended')}</p>" if meant else "",
    ]
    kind = "finding accepted" if meant else "finding"
    return f'<article class="{kind}"><div>{picture}</div><div>{"".join(told)}</div></article>'


def _picture(
    subject: Subject | None, state: State, width: int, name: str, says: str, finding: Finding | None = None
) -> str:
    """The view at a state as an image of its own bytes; nothing where the art is not at hand."""
    if subject is None or subject.art is None or not subject.scene.layers:
        return ""
    from clinamen.core.raster import render

    scene, shelf = subject.scene, subject.art.shelf
    scale = min(1.0, width / scene.view.width)
    picture: Pixels = np.ascontiguousarray(render(scene, state, shelf.loader(scene, scale), scale)[..., :3])
    picture = picture if finding is None else marked(picture, finding, scale)
    data = b64encode(encode_webp(picture, 82)).decode()
    kind = f' class="{name}"' if name else ""
    return f'<img{kind} alt="{escape(says)}" src="data:image/webp;base64,{data}">'


def _silent(findings: Sequence[Finding]) -> str:
    """The checks that found nothing."""
    met = {finding.check for finding in findings}
    silent = [check for check in CHECKS.values() if check.id not in met]
    items = "".join(f"<li>{escape(check.name)}: {escape(check.description)}</li>" for check in silent)
    return f"<h2>Looked for and not found</h2><ul>{items}</ul>" if silent else ""


def _layers(subject: Subject) -> str:
    """Every layer, farthest first: where it stands, how quick it is."""
    scene = subject.scene
    layers = tuple(by_rate(scene, seen_layers(scene)))
    speeds: list[list[str]] = [[] for _ in layers]
    heads = []
    if scene.drivers.scroll:
        heads += ["px/s reading on", "px/s in a flick"]
        for row, top in zip(speeds, top_speeds(scene, subject.motion, layers, "scroll"), strict=True):
            normal = top.whole * pace_of(scene, "scroll")
            row += [shown(normal, 0), shown(normal * QUICK / NORMAL, 0)]
    if scene.drivers.time:
        heads.append("px/s by itself")
        for row, top in zip(speeds, top_speeds(scene, subject.motion, layers, "time"), strict=True):
            row.append(shown(top.whole * pace_of(scene, "time"), 0))
    rows = []
    for layer, speed in zip(layers, speeds, strict=True):
        size = f"{layer.art.width} × {layer.art.height}"
        numbers = [_deep(scene, layer), shown(resting_rate(scene, layer), 3), size, *speed]
        cells = "".join(f'<td class="n">{text}</td>' for text in numbers)
        rows.append(f"<tr><td>{escape(layer.label)}</td>{cells}</tr>")
    head = "".join(f'<th class="n">{text}</th>' for text in ("depth", "rate", "art", *heads))
    table = f"<thead><tr><th>Layer</th>{head}</tr></thead><tbody>{''.join(rows)}</tbody>"
    return f"<h2>Layers</h2><table>{table}</table>"


def _deep(scene: Scene, layer: Layer) -> str:
    depth = resting_depth(scene, layer)
    return "∞" if depth == "infinite" else shown(depth, 0)
