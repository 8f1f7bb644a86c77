"""Draws "Glasshouse by night": a side-scrolling walk that loops. `python -m demo.glasshouse` writes it again.

Every sheet but the sky repeats after WIDTH view pixels and moves at a rate of quarters, so that after TRAVEL pixels of
truck each has gone round a whole number of times and the walk begins again without a seam. What can be drawn in lines
stays vector; sky and blurred leaves are pictures.
"""

import io
import json
from pathlib import Path

import numpy as np
import resvg_py
from PIL import Image

from demo import brush

HERE = Path(__file__).parent / "glasshouse"
WIDTH, HEIGHT, SPARE = 1920, 1080, 40  # SPARE: px by which tall sheets reach over the view, above and below
TRAVEL, SECONDS = 4 * WIDTH, 24
REACH_X, REACH_Y = 40, 14
DISTANCE = WIDTH * 35 / 36
TALL = HEIGHT + SPARE


def svg(body, width=WIDTH, height=TALL + SPARE, defs="", top=-SPARE):
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 {top} {width} {height}"><defs>{defs}</defs>{body}</svg>\n'


def around(body):
    """A drawing and what of it reaches over the sheet's ends, so that the sheet repeats without a seam."""
    copies = "".join(
        f'<use href="#b" x="{x}"/>' for x in (-WIDTH, 0, WIDTH)
    )  # each over the one before it, at every end
    return f'<defs><g id="b">{body}</g></defs>{copies}'


def leaf(x, y, angle, length, width, fill, bend=0.2, vein=None):
    """A leaf from its foot, two bent edges to a tip."""
    a = np.radians(angle)
    tip = np.array([np.cos(a), np.sin(a)]) * length
    side = np.array([-np.sin(a), np.cos(a)])
    tip = tip + side * bend * length
    mid = tip * 0.45
    one, two = mid + side * width, mid - side * width
    d = f"M{x:.1f} {y:.1f}Q{x + one[0]:.1f} {y + one[1]:.1f} {x + tip[0]:.1f} {y + tip[1]:.1f}Q{x + two[0]:.1f} {y + two[1]:.1f} {x:.1f} {y:.1f}Z"
    made = f'<path d="{d}" fill="{fill}"/>'
    if vein:
        made += f'<path d="M{x:.1f} {y:.1f}Q{x + mid[0]:.1f} {y + mid[1]:.1f} {x + tip[0] * 0.95:.1f} {y + tip[1] * 0.95:.1f}" fill="none" stroke="{vein}" stroke-width="{max(0.8, width / 14):.1f}"/>'
    return made


def plant(x, y, size, rng, greens, count=9):
    """A plant out of one foot: stalks with leaves, a little untidy."""
    parts = []
    for _ in range(count):
        angle = -90 + rng.normal(0, 42)
        long = size * rng.uniform(0.55, 1.1)
        parts.append(leaf(x + rng.normal(0, 3), y, angle, long, long * rng.uniform(0.13, 0.22),
                          greens[int(rng.integers(len(greens)))], rng.normal(0, 0.18), greens[-1]))  # fmt: skip
    return "".join(parts)


def sky():
    """Rain sky: heavy clouds lit from the town below, a drowned moon, slanting rain."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    top, low = np.array([13, 24, 38], np.float32), np.array([52, 70, 78], np.float32)
    share = (y / HEIGHT)[..., None] ** 1.3
    picture = top * (1 - share) + low * share
    clouds = brush.noise(WIDTH, HEIGHT, 520, 3, 6)
    clouds = np.clip((clouds - 0.42) * 2.2, 0, 1)
    picture += clouds[..., None] * np.array([26, 32, 38]) * (0.4 + 0.6 * share)
    moon = np.exp(-(((x - 1370) / 60) ** 2 + ((y - 210) / 60) ** 2)) * 0.9 + 0.5 * np.exp(
        -(((x - 1370) / 330) ** 2 + ((y - 210) / 260) ** 2)
    )
    picture += moon[..., None] * np.array([150, 164, 150]) * (1 - 0.55 * clouds[..., None])
    glow = np.exp(-((HEIGHT - y) / 300))[..., None]
    picture += glow * np.array([58, 46, 26])
    rng = np.random.default_rng(5)
    rain = np.zeros((HEIGHT, WIDTH, 4), np.uint8)
    for _ in range(900):
        px, py, long = rng.uniform(0, WIDTH), rng.uniform(-40, HEIGHT), rng.uniform(24, 70)
        brush.polygon(
            rain,
            [(px, py), (px + 1.4, py), (px - long * 0.22 + 1.4, py + long), (px - long * 0.22, py + long)],
            (150, 178, 190),
        )
    picture = picture + rain[..., :3].astype(np.float32) * 0.16
    picture += rng.normal(0, 1.3, (HEIGHT, WIDTH, 1))
    return np.dstack([np.clip(picture, 0, 255), np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8)


def roofs():
    """A water tower and roofs of the town, a few windows still lit."""
    rng = np.random.default_rng(11)
    parts, at = [], -60.0
    while at < WIDTH - 60:
        wide, high = rng.uniform(150, 330), rng.uniform(150, 300)
        top = 860 - high
        tone = ("#16242e", "#1a2a34", "#132029")[int(rng.integers(3))]
        peak = rng.uniform(30, 90)
        lean = rng.uniform(0.3, 0.7)
        parts.append(
            f'<path d="M{at:.0f} {TALL}V{top:.0f}L{at + wide * lean:.0f} {top - peak:.0f}L{at + wide:.0f} {top:.0f}V{TALL}Z" fill="{tone}"/>'
        )
        parts.append(
            f'<path d="M{at - 8:.0f} {top + 4:.0f}L{at + wide * lean:.0f} {top - peak:.0f}L{at + wide + 8:.0f} {top + 4:.0f}" fill="none" stroke="#2a3d48" stroke-width="5"/>'
        )
        if rng.random() < 0.6:
            cx = at + wide * rng.uniform(0.6, 0.8)
            parts.append(
                f'<path d="M{cx:.0f} {top + 6:.0f}v-{70 + peak * 0.4:.0f}h26v{70 + peak * 0.4:.0f}z" fill="{tone}"/>'
            )
        for _ in range(int(rng.integers(1, 5))):
            wx, wy = at + rng.uniform(20, wide - 44), top + rng.uniform(34, high - 60)
            lit = ("#e9b96a", "#c98f4a", "#24363f", "#24363f")[int(rng.integers(4))]
            parts.append(
                f'<rect x="{wx:.0f}" y="{wy:.0f}" width="22" height="32" fill="{lit}"/><path d="M{wx + 11:.0f} {wy:.0f}v32M{wx:.0f} {wy + 15:.0f}h22" stroke="{tone}" stroke-width="3"/>'
            )
        at += wide * rng.uniform(0.86, 1.02)
    tower = '<g stroke="#1b2b35" stroke-width="11" stroke-linecap="round"><path d="M540 900L590 470M760 900L710 470M566 690H734M548 810H752M566 690L752 810M734 690L548 810" fill="none"/></g>'
    tower += '<path d="M556 470V300q94 -34 188 0V470q-94 34 -188 0z" fill="#21343f"/><path d="M536 300L650 190L764 300q-114 -36 -228 0z" fill="#2b414d"/>'
    tower += "".join(
        f'<path d="M{556 + 27 * i} {300 - 9 + abs(3 - i)}V{478 - abs(3 - i) * 2}" stroke="#182832" stroke-width="3"/>'
        for i in range(1, 7)
    )
    tower += '<path d="M552 356q98 34 196 0M552 420q98 34 196 0" fill="none" stroke="#172630" stroke-width="6"/><path d="M742 470v430M742 520h14M742 560h14M742 600h14M742 640h14" stroke="#1b2b35" stroke-width="5"/>'
    return svg(around(tower + "".join(parts)))


def ribs():
    """The iron ribs of the glasshouse, panes that catch the light, condensation running down."""
    rng = np.random.default_rng(4)
    defs = '<linearGradient id="p" x1="0" x2="1" y1="0" y2="1"><stop offset="0" stop-color="#cfeedd" stop-opacity=".16"/><stop offset=".5" stop-color="#bfe6d4" stop-opacity=".05"/><stop offset="1" stop-color="#e8f6e0" stop-opacity=".12"/></linearGradient>'
    parts = [f'<rect y="-60" width="{WIDTH}" height="{TALL + 60}" fill="url(#p)"/>']
    for bay in range(4):
        x = bay * 480
        for column in range(4):
            for row in range(6):
                if rng.random() < 0.34:
                    px, py = x + column * 120, 150 + row * 140
                    parts.append(
                        f'<path d="M{px + 8} {py + 8}h104l-{rng.integers(20, 70)} 124h-{rng.integers(10, 34)}z" fill="#dff5e6" fill-opacity="{rng.uniform(0.03, 0.11):.2f}"/>'
                    )
        for line in range(1, 4):
            parts.append(f'<path d="M{x + line * 120} 60V{TALL}" stroke="#22393b" stroke-width="5"/>')
        parts.append(
            f'<path d="M{x} 150C{x + 60} 20 {x + 420} 20 {x + 480} 150" fill="none" stroke="#1a2e30" stroke-width="20"/>'
        )
        parts.append(
            f'<path d="M{x + 60} 92C{x + 150} 40 {x + 330} 40 {x + 420} 92" fill="none" stroke="#36555250" stroke-width="6"/>'
        )
        parts.append(
            f'<path d="M{x} -60V{TALL}" stroke="#16282a" stroke-width="34"/><path d="M{x - 9} -60V{TALL}" stroke="#3e605a" stroke-width="4"/>'
        )
        for y in (290, 570, 850):
            parts.append(
                f'<path d="M{x} {y}H{x + 480}" stroke="#1a2e30" stroke-width="{12 if y == 570 else 8}"/><path d="M{x} {y - 4}H{x + 480}" stroke="#3e605a" stroke-opacity=".6" stroke-width="2"/>'
            )
        parts.append(
            f'<path d="M{x} 150q70 10 86 84q-64 -6 -86 -60M{x} 150q-70 10 -86 84q64 -6 86 -60" fill="none" stroke="#1a2e30" stroke-width="9"/>'
        )
        for _ in range(16):
            px, py, long = x + rng.uniform(20, 460), rng.uniform(180, 760), rng.uniform(30, 150)
            parts.append(
                f'<path d="M{px:.0f} {py:.0f}q{rng.uniform(-5, 5):.0f} {long / 2:.0f} {rng.uniform(-3, 3):.0f} {long:.0f}" fill="none" stroke="#d8f3e4" stroke-opacity=".22" stroke-width="2"/><circle cx="{px:.0f}" cy="{py + long:.0f}" r="3" fill="#e8fbef" fill-opacity=".35"/>'
            )
    return svg(around("".join(parts)), defs=defs)


def benches():
    """Benches of seedlings under hanging lamps."""
    rng = np.random.default_rng(21)
    defs = '<radialGradient id="l"><stop offset="0" stop-color="#ffe3a6" stop-opacity=".62"/><stop offset=".35" stop-color="#f4c877" stop-opacity=".2"/><stop offset="1" stop-color="#f4c877" stop-opacity="0"/></radialGradient>'
    defs += '<linearGradient id="w" x1="0" x2="0" y1="0" y2="1"><stop offset="0" stop-color="#8a6a45"/><stop offset="1" stop-color="#4d3a28"/></linearGradient><linearGradient id="t" x1="0" x2="1"><stop offset="0" stop-color="#8d4a2e"/><stop offset=".4" stop-color="#c9774c"/><stop offset="1" stop-color="#6d3723"/></linearGradient>'
    greens = ("#2f6b46", "#3f8454", "#57a065", "#2a5c43", "#79b878")
    parts = []
    for x in (240, 880, 1520):
        parts.append(
            f'<path d="M{x} -60V250" stroke="#182426" stroke-width="5"/><path d="M{x - 52} 292q52 -88 104 0z" fill="#20383a"/><path d="M{x - 52} 292q52 -88 104 0" fill="none" stroke="#49706a" stroke-width="4"/><ellipse cx="{x}" cy="294" rx="34" ry="11" fill="#fff1c9"/><circle cx="{x}" cy="345" r="330" fill="url(#l)"/>'
        )
    for start in (40, 680, 1320):
        top = 760
        for leg in (start + 40, start + 500):
            parts.append(
                f'<path d="M{leg} {top + 20}V{TALL}" stroke="#3a2c1f" stroke-width="22"/><path d="M{leg - 7} {top + 20}V{TALL}" stroke="#6b5238" stroke-width="4"/>'
            )
        parts.append(f'<path d="M{start + 40} {top + 200}H{start + 500}" stroke="#3a2c1f" stroke-width="16"/>')
        at = start + 24.0
        while at < start + 500:
            wide = rng.uniform(50, 86)
            high = wide * rng.uniform(0.72, 0.95)
            parts.append(
                plant(at + wide / 2, top - high + 6, rng.uniform(80, 190), rng, greens, int(rng.integers(7, 13)))
            )
            parts.append(
                f'<path d="M{at:.0f} {top - high:.0f}h{wide:.0f}l-{wide * 0.14:.0f} {high:.0f}h-{wide * 0.72:.0f}z" fill="url(#t)"/><path d="M{at - 4:.0f} {top - high:.0f}h{wide + 8:.0f}v{high * 0.22:.0f}h-{wide + 8:.0f}z" fill="#a85f3b"/>'
            )
            at += wide + rng.uniform(4, 26)
        parts.append(
            f'<rect x="{start}" y="{top - 4}" width="540" height="30" rx="3" fill="url(#w)"/><path d="M{start} {top + 6}h540" stroke="#a98459" stroke-opacity=".5" stroke-width="2"/>'
        )
        for px in (start + 110, start + 330):
            parts.append(
                f'<path d="M{px} {top + 192}v-66h84v66z" fill="#4b6a63"/><path d="M{px} {top + 140}h84M{px} {top + 170}h84" stroke="#36504b" stroke-width="4"/>'
            )
    return svg(around("".join(parts)), defs=defs)


def path():
    """The path, wet from a watering can, with moss in its joints."""
    rng = np.random.default_rng(8)
    height = 230
    defs = '<linearGradient id="g" x1="0" x2="0" y1="0" y2="1"><stop offset="0" stop-color="#3c4a45"/><stop offset=".25" stop-color="#2c3835"/><stop offset="1" stop-color="#161f1f"/></linearGradient>'
    parts = [f'<rect y="26" width="{WIDTH}" height="{height - 26}" fill="url(#g)"/>']
    for row, (y, high) in enumerate(((26, 34), (60, 50), (110, 120))):
        at = -120.0 + 60 * row
        while at < WIDTH - 100:
            wide = rng.uniform(110, 190) * (1 + 0.25 * row)
            tone = ("#46554f", "#3b4945", "#51605a")[int(rng.integers(3))]
            parts.append(
                f'<path d="M{at + 5:.0f} {y + 3}h{wide - 10:.0f}l{4 + row * 3} {high - 6}h-{wide - 6:.0f}z" fill="{tone}" fill-opacity="{0.75 - 0.2 * row:.2f}"/>'
            )
            if rng.random() < 0.4:
                parts.append(
                    f'<ellipse cx="{at + wide / 2:.0f}" cy="{y + high / 2:.0f}" rx="{wide * 0.3:.0f}" ry="{high * 0.16:.0f}" fill="#cfe8dd" fill-opacity=".13"/>'
                )
            at += wide
    for _ in range(90):
        x, size = rng.uniform(0, WIDTH), rng.uniform(5, 15)
        parts.append(
            f'<ellipse cx="{x:.0f}" cy="{27 + rng.uniform(-3, 4):.0f}" rx="{size * 1.6:.0f}" ry="{size * 0.6:.0f}" fill="{("#3d6b45", "#4c7d50", "#335a3d")[int(rng.integers(3))]}"/>'
        )
    return svg(around("".join(parts)), height=height, defs=defs, top=0)


CELL = (420, 400)  # px: a drawing of the robot
COLUMNS, ROWS, STEP_FPS = 4, 2, 12
STRIDE = TRAVEL / SECONDS * COLUMNS * ROWS / STEP_FPS  # px of ground that passes under one cycle of its feet
METAL = '<linearGradient id="m" x1="0" x2="1"><stop offset="0" stop-color="#6d8f86"/><stop offset=".35" stop-color="#d5ebdd"/><stop offset="1" stop-color="#4a6a63"/></linearGradient><linearGradient id="c" x1="0" x2="1"><stop offset="0" stop-color="#a85a2c"/><stop offset=".4" stop-color="#f2a560"/><stop offset="1" stop-color="#7f3f1d"/></linearGradient><radialGradient id="e"><stop offset="0" stop-color="#fffbe0"/><stop offset=".5" stop-color="#ffd97a"/><stop offset="1" stop-color="#ffd97a" stop-opacity="0"/></radialGradient>'


def leg(hip, phase, colour, shoe):
    """A leg: on the ground its foot goes back as quickly as the ground does, in the air it swings forward."""
    if phase < 0.5:
        x, y, tip = STRIDE / 4 - STRIDE * phase, 336.0, 0.0
    else:
        t = (phase - 0.5) * 2
        x, y = -STRIDE / 4 + STRIDE / 2 * (t - np.sin(2 * np.pi * t) / (2 * np.pi)), 336 - 26 * np.sin(np.pi * t)
        tip = 26 * np.sin(np.pi * t) * (0.6 - t)
    x += hip
    knee = ((hip + x) / 2 + 16, (262 + y) / 2 - 4)
    return (
        f'<path d="M{hip} 258Q{knee[0]:.1f} {knee[1]:.1f} {x:.1f} {y - 6:.1f}" fill="none" stroke="{colour}" stroke-width="17" stroke-linecap="round"/>'
        f'<path transform="translate({x:.1f} {y:.1f}) rotate({tip:.1f})" d="M-26 0h48q12 2 12 14h-64q-2 -14 4 -14z" fill="{shoe}"/>'
    )


def robot(phase):
    """A little gardening robot with a watering can, at a share of its walk."""
    bob = -5 * np.cos(4 * np.pi * phase)
    sway = 2.4 * np.sin(2 * np.pi * phase)
    ground = '<ellipse cx="150" cy="352" rx="112" ry="13" fill="#0a1110" fill-opacity=".5"/>'
    far = leg(150, (phase + 0.5) % 1, "#40605a", "#2e4742")
    near = leg(146, phase, "#587a72", "#3a5650")
    body = ""
    body += '<rect x="88" y="146" width="112" height="128" rx="26" fill="url(#m)"/><rect x="104" y="172" width="64" height="50" rx="8" fill="#27403b"/><path d="M112 206h12l8 -18l10 26l8 -14h12" fill="none" stroke="#8fe0a4" stroke-width="4"/><circle cx="118" cy="246" r="6" fill="#f2a560"/><circle cx="138" cy="246" r="6" fill="#27403b"/><circle cx="158" cy="246" r="6" fill="#27403b"/>'
    body += '<path d="M196 176q44 6 54 44" fill="none" stroke="#6d8f86" stroke-width="15" stroke-linecap="round"/><path d="M216 222h70v50q-35 12 -70 0z" fill="url(#c)"/><path d="M286 236l44 -34l10 10l-50 46z" fill="url(#c)"/><path d="M324 194l24 24" stroke="#f2a560" stroke-width="7" stroke-linecap="round"/><path d="M218 226q34 -52 66 0" fill="none" stroke="#a85a2c" stroke-width="8"/>'
    body += "".join(
        f'<path d="M{342 + i * 9} {222 + i * 3}q6 20 4 {34 + i * 8}" fill="none" stroke="#cfeaf2" stroke-opacity=".7" stroke-width="3" stroke-linecap="round"/>'
        for i in range(3)
    )
    body += '<path d="M132 146v-18h26v18z" fill="#40605a"/><rect x="74" y="42" width="140" height="94" rx="40" fill="url(#m)"/><rect x="118" y="62" width="86" height="52" rx="24" fill="#1d322e"/><circle cx="184" cy="88" r="38" fill="url(#e)" fill-opacity=".6"/><circle cx="146" cy="88" r="9" fill="#ffe9a6"/><circle cx="182" cy="88" r="11" fill="#fff3c4"/>'
    body += (
        '<path d="M104 44q-6 -30 14 -38" fill="none" stroke="#587a72" stroke-width="6"/>'
        + leaf(118, 8, -20, 40, 11, "#6fb56f", -0.1, "#2f6b46")
        + leaf(118, 8, -120, 30, 9, "#57a065", 0.1, "#2f6b46")
    )
    upper = f'<g transform="translate(0 {bob:.2f}) rotate({sway:.2f} 146 262)">{body}</g>'
    return f'<g transform="translate(20 26)">{ground}{far}{near}{upper}</g>'


def robot_strip():
    """The robot's walk in eight cells, first row first."""
    count, (width, height) = COLUMNS * ROWS, CELL
    cells = "".join(
        f'<svg x="{n % COLUMNS * width}" y="{n // COLUMNS * height}" width="{width}" height="{height}">{robot(n / count)}</svg>'
        for n in range(count)
    )
    return svg(cells, COLUMNS * width, ROWS * height, METAL, top=0)


def front():
    """Pots and leaves in front, out of focus."""
    rng = np.random.default_rng(33)
    greens = ("#10251d", "#163226", "#0d1f19", "#1f4432")
    parts = []
    for x in (60, 700, 1330):
        for _ in range(9):
            parts.append(
                leaf(
                    x + rng.normal(0, 60),
                    TALL + 30,
                    -90 + rng.normal(0, 34),
                    rng.uniform(280, 520),
                    rng.uniform(40, 80),
                    greens[int(rng.integers(4))],
                    rng.normal(0, 0.2),
                    "#2c5a41",
                )
            )
        parts.append(
            f'<path d="M{x - 96} {TALL - 150}h192l-30 190h-132z" fill="#2a1710"/><path d="M{x - 108} {TALL - 154}h216v40h-216z" fill="#391f15"/>'
        )
    for x in (420, 1060, 1700):
        for _ in range(6):
            parts.append(
                leaf(
                    x + rng.normal(0, 80),
                    -70,
                    90 + rng.normal(0, 30),
                    rng.uniform(200, 370),
                    rng.uniform(26, 46),
                    greens[int(rng.integers(4))],
                    rng.normal(0, 0.2),
                )
            )
    wide = svg(f'<g id="b">{"".join(parts)}</g>' + "".join(f'<use href="#b" x="{n * WIDTH}"/>' for n in (-1, 1)), WIDTH)
    png = resvg_py.svg_to_bytes(svg_string=wide)
    art = np.array(Image.open(io.BytesIO(bytes(png))).convert("RGBA"), np.float32)
    art[..., :3] *= art[..., 3:] / 255
    padded = np.concatenate([art[:, -60:], art, art[:, :60]], axis=1)  # blurred round the corner, so that it repeats
    return brush.finish(brush.soften(np.rint(padded).astype(np.uint8), 7)[:, 60:-60])


def sheets():
    """(id, name, file ending, art, rate, framing, more) from the sky to the front."""
    yield "rain-sky", "Rain sky", sky(), 0.0, {}, {"takes": {"air": False}}
    tile = {"repeat": {"x": "tile", "y": "none"}}
    yield "roofs", "Water tower and roofs", roofs(), 0.25, {}, tile
    yield "ribs", "Iron ribs", ribs(), 0.5, {}, tile
    glow = [{"step": "glow", "of": "bright", "above": 0.72, "radius": 34, "strength": 0.7}]
    yield "benches", "Benches of seedlings", benches(), 0.75, {}, {**tile, "look": glow}
    yield "path", "Path", path(), 1.0, {"y": HEIGHT / 2 + SPARE - 115}, tile
    yield (
        "robot",
        "Gardening robot",
        robot_strip(),
        1.0,
        {"x": -120, "y": 239},
        {"frames": {"columns": COLUMNS, "rows": ROWS, "count": COLUMNS * ROWS, "fps": STEP_FPS}},
    )
    yield "front", "Pots and leaves", front(), 1.5, {}, tile


def main():
    (HERE / "art").mkdir(parents=True, exist_ok=True)
    entries = []
    for layer_id, name, art, rate, framing, more in sheets():
        if isinstance(art, str):
            file, size = f"art/{layer_id}.svg", art.split("viewBox=")[1].split('"')[1].split()[2:]
            (HERE / file).write_text(art)
        else:
            file, size = f"art/{layer_id}.webp", (art.shape[1], art.shape[0])
            Image.fromarray(art).save(HERE / file, quality=88, method=6, alpha_quality=95)
        if "frames" in more:
            size = CELL
        depth = "infinite" if rate == 0 else round(DISTANCE * (1 / rate - 1), 1) + 0.0
        group = "House" if layer_id in ("ribs", "benches", "path") else ""
        entries.append({"id": layer_id, "name": name, "group": group, "art": {"file": file, "width": int(size[0]), "height": int(size[1])},
                        "depth": depth, "framing": framing, **more})  # fmt: skip
    walk = [{"at": 0, "value": 0, "ease": "linear"}, {"at": SECONDS, "value": TRAVEL}]
    scene = {
        "format": "clinamen/scene", "version": 1, "title": "Glasshouse by night",
        "view": {"width": WIDTH, "height": HEIGHT, "background": "#0d1826"},
        "lens": {"focal_length": 35, "sensor_width": 36},
        "air": {"colour": "#2c4048", "visibility": 90000},
        "layers": entries,
        "drivers": {
            "pointer": {"reach_x": REACH_X, "reach_y": REACH_Y, "settle": 0.5},
            "time": {"duration": SECONDS, "fps": 24, "loop": True},
        },
        "tracks": [
            {"target": "camera", "channel": "x", "driver": "time", "keys": walk},
            {"target": "robot", "channel": "x", "driver": "time", "keys": walk},
        ],
    }  # fmt: skip
    (HERE / "scene.json").write_text(json.dumps(scene, indent=2) + "\n")


if __name__ == "__main__":
    main()
