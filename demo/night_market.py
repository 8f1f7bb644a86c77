"""Draws "Night market on stilts": a market over a tidal flat at dusk. `python -m demo.night_market` writes it again.

Its art is drawn in lines, but for the sky and the flat; words, rain, the pane and the shadow are made by the application. The lens is
open: focus goes from the far row to the woman with her cart and back while time loops.
"""

import json
from pathlib import Path

import numpy as np
from PIL import Image

from clinamen.core.document import parse
from clinamen.core.edits import apply
from clinamen.core.made.kinds import Words
from demo import brush
from demo.glasshouse import svg

HERE = Path(__file__).parent / "night-market"
WIDTH, HEIGHT, SECONDS = 1920, 1080, 16
HORIZON = 560
DISTANCE = WIDTH * 50 / 36
CELL, COLUMNS, ROWS, STEP_FPS = (560, 460), 4, 2, 10
STRIDE = 150.0  # px of deck under one cycle of her feet
PAPER = ("#f7c46c", "#f29a4a", "#e9705a", "#f6dca0")


def smooth(points, closed=False):
    """A soft line through points: quadratic curves between their middles."""
    middles = [((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) for a, b in zip(points, points[1:], strict=False)]
    d = f"M{points[0][0]:.1f} {points[0][1]:.1f}L{middles[0][0]:.1f} {middles[0][1]:.1f}"
    for at, middle in zip(points[1:-1], middles[1:], strict=True):
        d += f"Q{at[0]:.1f} {at[1]:.1f} {middle[0]:.1f} {middle[1]:.1f}"
    return d + f"L{points[-1][0]:.1f} {points[-1][1]:.1f}" + ("Z" if closed else "")


def sky():
    """Last light: apricot at the horizon, violet above it, bars of cloud lit from below."""
    wide, high = WIDTH + 320, HEIGHT
    y, x = np.mgrid[0:high, 0:wide].astype(np.float32)
    stops = np.array([[24, 28, 62], [62, 52, 98], [148, 86, 110], [238, 150, 104], [252, 200, 140]], np.float32)
    at = np.clip(y / (HORIZON + 30), 0, 1) ** 1.25 * (len(stops) - 1)
    low = np.clip(at.astype(int), 0, len(stops) - 2)
    picture = stops[low] + (stops[low + 1] - stops[low]) * (at - low)[..., None]
    bars = brush.noise(wide, high // 6, 300, 9, 5)
    bars = np.kron(bars, np.ones((6, 1), np.float32))[:high]
    bars = np.pad(bars, ((0, high - len(bars)), (0, 0)), mode="edge")
    cloud = np.clip((brush.soften(np.dstack([bars] * 4) * 255, 5)[..., 0] / 255 - 0.52) * 3, 0, 1)
    cloud *= np.clip((y - 120) / 260, 0, 1) * np.clip((HORIZON + 10 - y) / 120, 0, 1)
    picture = picture * (1 - 0.55 * cloud[..., None]) + cloud[..., None] * np.array([196, 108, 112]) * 0.55
    glow = np.exp(-(((x - wide * 0.62) / 420) ** 2 + ((y - HORIZON) / 110) ** 2))
    picture += glow[..., None] * np.array([70, 62, 36])
    stars = np.random.default_rng(2)
    for _ in range(70):
        sx, sy = int(stars.uniform(0, wide)), int(stars.uniform(0, 240))
        picture[sy, sx] += stars.uniform(40, 120)
    picture += stars.normal(0, 1.2, (high, wide, 1))
    return np.dstack([np.clip(picture, 0, 255), np.full((high, wide), 255)]).astype(np.uint8)


def flat():
    """The tidal flat: wet mud that holds the sky, channels of water, streaks of lantern light."""
    wide, high = WIDTH + 700, HEIGHT - HORIZON + 80
    y, x = np.mgrid[0:high, 0:wide].astype(np.float32)
    share = (y / high)[..., None]
    picture = np.array([196, 132, 112], np.float32) * (1 - share) ** 1.6 + np.array([26, 28, 46], np.float32) * (
        1 - (1 - share) ** 1.6
    )
    ripple = brush.noise(wide, high // 5, 220, 4, 5)
    ripple = np.kron(ripple, np.ones((5, 1), np.float32))[:high]
    ripple = np.pad(ripple, ((0, high - len(ripple)), (0, 0)), mode="edge")
    picture *= 0.72 + 0.5 * ripple[..., None]
    water = np.clip((ripple - 0.58) * 6, 0, 1) * (1 - share[..., 0])
    picture += water[..., None] * np.array([70, 44, 34])
    rng = np.random.default_rng(3)
    for _ in range(26):
        at, long = rng.uniform(0, wide), rng.uniform(120, 330)
        streak = np.exp(-(((x - at + 6 * np.sin(y / 9)) / rng.uniform(8, 20)) ** 2)) * np.clip(1 - y / long, 0, 1)
        picture += streak[..., None] * np.array([120, 70, 26]) * rng.uniform(0.3, 0.8)
    alpha = np.clip(y / 10, 0, 1) * 255
    return np.dstack([np.clip(picture, 0, 255), alpha]).astype(np.uint8)


def hills():
    """Hills across the water, three folds."""
    rng, parts = np.random.default_rng(6), []
    wide = WIDTH + 420
    for fold, (tone, base, high) in enumerate((("#6a5a86", 250, 120), ("#574d78", 290, 84), ("#463f66", 322, 52))):
        line = brush.wavy(7, 60, high, 20 + fold, 1.1) - high * 0.4
        points = [(wide * i / 59, base + line[i] + rng.normal(0, 2)) for i in range(60)]
        parts.append(f'<path d="{smooth([(0, 380), *points, (wide, 380)], True)}" fill="{tone}"/>')
    return svg("".join(parts), wide, 380, top=0)


def lantern(x, y, size, colour, defs_glow="g"):
    """A paper lantern on its cord: ribs, a lit heart, its glow."""
    ribs = "".join(
        f'<path d="M{x - size * w:.1f} {y + size * h:.1f}q{size * w:.1f} {size * 0.16:.1f} {2 * size * w:.1f} 0" fill="none" stroke="#a4502e" stroke-opacity=".45" stroke-width="{max(1, size / 22):.1f}"/>'
        for h, w in ((-0.55, 0.7), (-0.2, 0.93), (0.15, 0.97), (0.5, 0.78))
    )
    return (
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{size * 3.4:.1f}" fill="url(#{defs_glow})"/><path d="M{x:.1f} {y - size * 1.9:.1f}v{size:.1f}" stroke="#20182a" stroke-width="2"/>'
        f'<ellipse cx="{x:.1f}" cy="{y:.1f}" rx="{size:.1f}" ry="{size * 1.05:.1f}" fill="{colour}"/><ellipse cx="{x:.1f}" cy="{y + size * 0.15:.1f}" rx="{size * 0.55:.1f}" ry="{size * 0.62:.1f}" fill="#fff3cf" fill-opacity=".75"/>{ribs}'
        f'<rect x="{x - size * 0.4:.1f}" y="{y - size * 1.16:.1f}" width="{size * 0.8:.1f}" height="{size * 0.2:.1f}" fill="#3a2230"/><rect x="{x - size * 0.34:.1f}" y="{y + size * 0.98:.1f}" width="{size * 0.68:.1f}" height="{size * 0.18:.1f}" fill="#3a2230"/>'
    )


GLOW = '<radialGradient id="g"><stop offset="0" stop-color="#ffd48a" stop-opacity=".55"/><stop offset=".4" stop-color="#ffb45c" stop-opacity=".16"/><stop offset="1" stop-color="#ffb45c" stop-opacity="0"/></radialGradient>'


def stall(x, floor, wide, high, rng, tones, lamps):
    """A stall on stilts: posts into the flat, a deck, a counter with wares, an awning in stripes."""
    wall, wood, cloth, stripe = tones
    deck, roof = floor - high * 0.18, floor - high
    parts = []
    for i in range(4):
        px = x + wide * (0.06 + 0.29 * i) + rng.normal(0, 3)
        parts.append(
            f'<path d="M{px:.0f} {deck:.0f}l{rng.normal(0, 7):.0f} {high * 0.62:.0f}" stroke="{wood}" stroke-width="{wide / 34:.1f}"/>'
        )
    parts.append(
        f'<path d="M{x:.0f} {deck + high * 0.1:.0f}l{wide:.0f} {high * 0.28:.0f}M{x + wide:.0f} {deck + high * 0.1:.0f}l-{wide:.0f} {high * 0.28:.0f}" stroke="{wood}" stroke-width="{wide / 70:.1f}"/>'
    )
    parts.append(
        f'<rect x="{x + wide * 0.08:.0f}" y="{roof + high * 0.2:.0f}" width="{wide * 0.84:.0f}" height="{high * 0.64:.0f}" fill="{wall}"/><rect x="{x + wide * 0.13:.0f}" y="{roof + high * 0.27:.0f}" width="{wide * 0.74:.0f}" height="{high * 0.3:.0f}" fill="#f3b25a" fill-opacity=".85"/>'
    )
    for i in range(int(wide / 26)):
        wx, size = x + wide * rng.uniform(0.15, 0.83), high * rng.uniform(0.03, 0.075)
        tone = ("#7d3b3a", "#3f5a52", "#c9764a", "#4a3a58", "#8a6a3c")[int(rng.integers(5))]
        if i % 3:
            parts.append(
                f'<path d="M{wx:.0f} {roof + high * 0.57:.0f}q{-size:.1f} {-size * 1.6:.1f} 0 {-size * 2.6:.1f}q{size:.1f} {size:.1f} 0 {size * 2.6:.1f}" fill="{tone}"/>'
            )
        else:
            parts.append(
                f'<path d="M{wx:.0f} {roof + high * 0.27:.0f}v{size * 1.4:.1f}" stroke="#2c1f2c" stroke-width="2"/><ellipse cx="{wx:.0f}" cy="{roof + high * 0.27 + size * 2.2:.1f}" rx="{size * 0.6:.1f}" ry="{size:.1f}" fill="{tone}"/>'
            )
    parts.append(
        f'<rect x="{x + wide * 0.05:.0f}" y="{roof + high * 0.57:.0f}" width="{wide * 0.9:.0f}" height="{high * 0.06:.0f}" fill="{wood}"/>'
    )
    count = 9
    for i in range(count):
        a, b = x - wide * 0.03 + wide * 1.06 * i / count, x - wide * 0.03 + wide * 1.06 * (i + 1) / count
        up, low = roof + high * 0.02, roof + high * 0.24
        parts.append(
            f'<path d="M{a + (x + wide / 2 - a) * 0.16:.1f} {up:.1f}L{b + (x + wide / 2 - b) * 0.16:.1f} {up:.1f}L{b:.1f} {low:.1f}q{(a - b) / 2:.1f} {high * 0.07:.1f} {a - b:.1f} 0Z" fill="{stripe if i % 2 else cloth}"/>'
        )
    parts.append(
        f'<rect x="{x - wide * 0.02:.0f}" y="{deck:.0f}" width="{wide * 1.04:.0f}" height="{high * 0.05:.0f}" rx="3" fill="{wood}"/><path d="M{x:.0f} {deck + 2:.0f}h{wide:.0f}" stroke="#e7a45e" stroke-opacity=".5" stroke-width="2"/>'
    )
    for i in range(lamps):
        lx = x + wide * (i + 0.5) / lamps + rng.normal(0, wide * 0.03)
        parts.append(
            lantern(
                lx, roof + high * rng.uniform(0.34, 0.44), high * rng.uniform(0.045, 0.062), PAPER[int(rng.integers(4))]
            )
        )
    return "".join(parts)


def far_row():
    """Small stalls in a row, a string of lanterns above them."""
    rng, wide, parts, at = np.random.default_rng(14), WIDTH + 760, [], 20.0
    while at < wide - 180:
        size = rng.uniform(190, 280)
        tones = [
            ("#4a3a58", "#2e2438", "#a8504c", "#e0b184"),
            ("#3f4258", "#2a2638", "#4f7a78", "#d8c7a4"),
            ("#54405a", "#30253a", "#8a4a6a", "#e6c08e"),
        ]
        parts.append(stall(at, 330, size, rng.uniform(190, 250), rng, tones[int(rng.integers(3))], 3))
        at += size + rng.uniform(16, 70)
    for start in range(0, wide, 420):
        parts.append(f'<path d="M{start} 66q210 74 420 0" fill="none" stroke="#241b30" stroke-width="2.5"/>')
        for i in range(1, 7):
            t = i / 7
            parts.append(lantern(start + 420 * t, 66 + 74 * 2 * t * (1 - t) + 20, 11, PAPER[i % 4]))
    return svg("".join(parts), wide, 500, GLOW, top=0)


def near_row():
    """Two large stalls, left and right, with the middle left open."""
    rng, wide = np.random.default_rng(31), WIDTH + 300
    left = stall(-60, 640, 640, 600, rng, ("#34283e", "#1f1826", "#93413f", "#dfa873"), 4)
    right = stall(1500, 640, 680, 570, rng, ("#2e2c40", "#1d1a28", "#3f6b6c", "#d9c39a"), 4)
    cord = '<path d="M560 120q480 190 960 0" fill="none" stroke="#1c1526" stroke-width="4"/>'
    lamps = "".join(
        lantern(560 + 960 * t, 120 + 190 * 2 * t * (1 - t) + 36, 24, PAPER[i % 4])
        for i, t in enumerate((0.12, 0.3, 0.5, 0.7, 0.88))
    )
    return svg(left + right + cord + lamps, wide, 980, GLOW, top=0)


def deck():
    """The boardwalk in front: planks that run away, wet where the light falls."""
    rng, wide, high = np.random.default_rng(8), WIDTH + 360, 300
    defs = '<linearGradient id="w" x1="0" x2="0" y1="0" y2="1"><stop offset="0" stop-color="#7a5546"/><stop offset=".2" stop-color="#553c3a"/><stop offset="1" stop-color="#1d1722"/></linearGradient>'
    parts = [f'<rect width="{wide}" height="{high}" y="14" fill="url(#w)"/>']
    middle = wide / 2
    for i in range(-42, 43):
        top, low = middle + i * 38, middle + i * 96
        parts.append(
            f'<path d="M{top:.0f} 14L{low:.0f} {high}" stroke="#1a1420" stroke-opacity=".7" stroke-width="{rng.uniform(2, 4):.1f}"/>'
        )
        if rng.random() < 0.5:
            parts.append(
                f'<path d="M{top + 8:.0f} 18L{low + 20:.0f} {high}L{low + 70:.0f} {high}L{top + 28:.0f} 18Z" fill="#ffc184" fill-opacity="{rng.uniform(0.02, 0.09):.3f}"/>'
            )
    parts.append(
        f'<rect width="{wide}" height="16" fill="#8f6650"/><rect width="{wide}" height="4" fill="#e0a16c" fill-opacity=".6"/>'
    )
    for x in range(70, wide, 330):
        parts.append(
            f'<path d="M{x} 14v-66" stroke="#3a2a30" stroke-width="16"/><path d="M{x - 5} 14v-66" stroke="#8a6452" stroke-width="3"/>'
        )
    parts.append(
        "".join(
            f'<path d="M{x} -40q165 40 330 0" fill="none" stroke="#4b3640" stroke-width="6"/>'
            for x in range(-260, wide, 330)
        )
    )
    return svg("".join(parts), wide, high + 70, defs, top=-70)


def limb(hip, phase, colour, shoe):
    """A leg: on the deck its foot goes back as quickly as she walks, in the air it swings forward."""
    if phase < 0.5:
        x, y, tip = STRIDE / 4 - STRIDE * phase, 410.0, 0.0
    else:
        t = (phase - 0.5) * 2
        x, y = -STRIDE / 4 + STRIDE / 2 * (t - np.sin(2 * np.pi * t) / (2 * np.pi)), 410 - 22 * np.sin(np.pi * t)
        tip = 30 * np.sin(np.pi * t) * (0.5 - t)
    x += hip
    return (
        f'<path d="M{hip} 300Q{(hip + x) / 2 + 14:.1f} {(300 + y) / 2:.1f} {x:.1f} {y - 4:.1f}" fill="none" stroke="{colour}" stroke-width="22" stroke-linecap="round"/>'
        f'<path transform="translate({x:.1f} {y:.1f}) rotate({tip:.1f})" d="M-13 -10h22q26 2 32 14h-56q-4 -6 2 -14z" fill="{shoe}"/>'
    )


def woman(phase):
    """A woman who pushes a cart with a lantern, at a share of her walk."""
    bob, turn = -4 * np.cos(4 * np.pi * phase), 360 * phase * STRIDE * 8 / 8 / (2 * np.pi * 46)
    swing = 5 * np.sin(2 * np.pi * phase)
    far, near = limb(168, (phase + 0.5) % 1, "#2a2440", "#1b1626"), limb(160, phase, "#3a3154", "#251d33")
    coat = '<path d="M112 188q40 -34 92 -6q22 60 26 128q-60 26 -136 6q-4 -72 18 -128z" fill="#7c3f4c"/><path d="M150 180q46 -8 54 2q22 60 26 128q-24 12 -52 14q6 -80 -28 -144z" fill="#9b5358"/><path d="M100 316q64 18 130 -6" stroke="#e0b184" stroke-width="7" fill="none"/><path d="M146 182q-14 70 -8 138" stroke="#5c2d3b" stroke-width="4" fill="none"/>'
    scarf = '<path d="M128 176q30 26 78 4l-4 -26h-66z" fill="#d9a05c"/><path d="M132 176q-34 26 -44 76l24 4q6 -44 40 -70z" fill="#c98a4a"/>'
    head = '<ellipse cx="172" cy="118" rx="37" ry="42" fill="#c98f6e"/><path d="M130 134q-14 -66 40 -70q48 0 44 34q-30 -12 -46 4q-18 18 -10 50q-18 2 -28 -18z" fill="#2b2030"/><circle cx="136" cy="82" r="22" fill="#2b2030"/><path d="M196 116q4 4 8 2M186 138q10 6 18 0" stroke="#6b3f36" stroke-width="3" fill="none" stroke-linecap="round"/>'
    arm = f'<path d="M186 200q{40 + swing:.1f} 40 104 62" fill="none" stroke="#8c4852" stroke-width="26" stroke-linecap="round"/><circle cx="292" cy="264" r="12" fill="#c98f6e"/>'
    body = f'<g transform="translate(0 {bob:.2f})">{coat}{scarf}{head}{arm}</g>'
    spokes = "".join(
        f'<path d="M412 366L{412 + 46 * np.cos(np.radians(turn + 45 * i)):.1f} {366 + 46 * np.sin(np.radians(turn + 45 * i)):.1f}" stroke="#8a6452" stroke-width="4"/>'
        for i in range(8)
    )
    cart = '<path d="M286 262L346 276" stroke="#5a4038" stroke-width="11" stroke-linecap="round"/><path d="M336 262h178l-20 74h-138z" fill="#6b4a3c"/><path d="M340 270h170M346 292h160M351 314h150" stroke="#8f6650" stroke-width="5"/>'
    goods = "".join(
        f'<ellipse cx="{362 + 25 * i}" cy="{250 - (i % 2) * 12}" rx="22" ry="19" fill="{("#c65a4a", "#d98a3c", "#7d8a4c", "#b8503f", "#cf9a4a", "#6f7f52")[i]}"/>'
        for i in range(6)
    )
    pole = f'<path d="M492 258V110q0 -20 -26 -18" fill="none" stroke="#3a2a30" stroke-width="7"/><g transform="rotate({swing:.1f} 466 92)">{lantern(466, 150, 30, "#f7c46c")}</g>'
    wheel = f'<circle cx="412" cy="366" r="48" fill="none" stroke="#3f2c2c" stroke-width="11"/>{spokes}<circle cx="412" cy="366" r="9" fill="#3f2c2c"/>'
    return f'<g transform="translate(8 28)">{far}{pole}{goods}{cart}{near}{body}{wheel}</g>'


def woman_strip():
    """Her walk in eight cells, first row first."""
    count, (width, height) = COLUMNS * ROWS, CELL
    cells = "".join(
        f'<svg x="{n % COLUMNS * width}" y="{n // COLUMNS * height}" width="{width}" height="{height}">{woman(n / count)}</svg>'
        for n in range(count)
    )
    return svg(cells, COLUMNS * width, ROWS * height, GLOW, top=0)


def reeds():
    """Reeds in front, left and right: the lens leaves them soft."""
    rng, wide, parts = np.random.default_rng(17), WIDTH + 900, []
    for middle, spread, count in ((230, 170, 34), (wide - 230, 150, 38)):
        for _ in range(count):
            x, tall, lean = middle + rng.normal(0, spread), rng.uniform(260, 640), rng.normal(0, 70)
            tone = ("#17201f", "#22302a", "#101718", "#2c3a2c")[int(rng.integers(4))]
            parts.append(
                f'<path d="M{x:.0f} 760Q{x + lean * 0.2:.0f} {760 - tall * 0.6:.0f} {x + lean:.0f} {760 - tall:.0f}" fill="none" stroke="{tone}" stroke-width="{rng.uniform(6, 15):.1f}" stroke-linecap="round"/>'
            )
            if rng.random() < 0.4:
                parts.append(
                    f'<path d="M{x + lean:.0f} {760 - tall - 20:.0f}l{lean * 0.06:.1f} 96" stroke="#4a3328" stroke-width="22" stroke-linecap="round"/>'
                )
    return svg("".join(parts), wide, 760, top=0)


def sheets():
    """(id, name, art, rate, framing, more) from the sky to the front."""
    yield "last-light", "Last light", sky(), 0.0, {"scale": 1.05}, {"takes": {"air": False, "light": False}}
    yield "hills", "Hills in haze", hills(), 0.1, {"y": HORIZON - HEIGHT / 2 - 165}, {"takes": {"light": False}}
    yield (
        "flat",
        "Tidal flat",
        flat(),
        0.32,
        {"y": (HORIZON + HEIGHT + 60) / 2 - HEIGHT / 2},
        {"takes": {"light": False}},
    )
    yield "far-row", "Far row", far_row(), 0.45, {"y": 70, "x": 30}, {}
    yield "near-row", "Near row", near_row(), 0.8, {"y": 60}, {}
    yield "deck", "Boardwalk", deck(), 1.0, {"y": HEIGHT / 2 - 150}, {}
    frames = {"columns": COLUMNS, "rows": ROWS, "count": COLUMNS * ROWS, "fps": STEP_FPS}
    yield "woman", "Woman with a cart", woman_strip(), 1.0, {"x": -60, "y": 196}, {"frames": frames}
    yield "reeds", "Reeds", reeds(), 1.55, {"y": 300}, {"takes": {"light": False}}


def entry(layer_id, name, art, rate, framing, more):
    if isinstance(art, str):
        file, size = f"art/{layer_id}.svg", art.split("viewBox=")[1].split('"')[1].split()[2:]
        (HERE / file).write_text(art)
    else:
        file, size = f"art/{layer_id}.webp", (art.shape[1], art.shape[0])
        Image.fromarray(art).save(HERE / file, quality=86, method=6, alpha_quality=95)
    size = CELL if "frames" in more else size
    depth = "infinite" if rate == 0 else round(DISTANCE * (1 / rate - 1), 1) + 0.0
    return {"id": layer_id, "name": name, "art": {"file": file, "width": int(size[0]), "height": int(size[1])}, "depth": depth, "framing": framing, **more}  # fmt: skip


def made(layer_id, name, kind, rate, framing, **more):
    art = more.pop("art", None) or dict(zip(("width", "height"), Words(**kind).fitted(), strict=True))
    depth = round(DISTANCE * (1 / rate - 1), 1) + 0.0
    return {"id": layer_id, "name": name, "art": {"made": kind, **art}, "depth": depth, "framing": framing, **more}


def main():
    (HERE / "art").mkdir(parents=True, exist_ok=True)
    layers = [entry(*sheet) for sheet in sheets()]
    title = {
        "kind": "text",
        "text": "Ebb & Lantern",
        "family": "fraunces",
        "weight": 700,
        "size": 142,
        "colour": "#ffe3b0",
    }
    hours = {"kind": "text", "text": "open from dusk\nuntil the tide turns", "family": "caveat", "weight": 700, "size": 54, "colour": "#fff6e2", "leading": 1.1}  # fmt: skip
    words = made("title", "Name of the market", title, 0.6, {"x": -84, "y": -196}, look=[{"step": "glow", "of": "whole", "radius": 26, "strength": 0.55}], takes={"light": False})  # fmt: skip
    pane = {
        "kind": "panel",
        "radius": 26,
        "top": "#fff1d8",
        "bottom": "#e6b98a",
        "opacity": 0.16,
        "border": 3,
        "border_colour": "#ffe9c4",
    }
    board = made("board", "Frosted board", pane, 1.18, {"x": 600, "y": 330}, art={"width": 520, "height": 210}, backdrop={"blur": 12, "saturation": 1.2}, takes={"focus": False, "light": False})  # fmt: skip
    said = made("hours", "Opening hours", hours, 1.18, {"x": 600, "y": 330}, takes={"focus": False, "light": False})
    at = {layer["id"]: i for i, layer in enumerate(layers)}
    layers[at["near-row"] : at["near-row"]] = [words]
    layers[-1:-1] = [board, said]
    speed = STRIDE * STEP_FPS / (COLUMNS * ROWS)
    far, near = 0.45, 1.0
    scene = {
        "format": "clinamen/scene", "version": 1, "title": "Night market on stilts",
        "view": {"width": WIDTH, "height": HEIGHT, "background": "#1b1c34"},
        "lens": {"focal_length": 50, "sensor_width": 36, "aperture": 1.4, "pixels_per_metre": 900},
        "camera": {"focus": far},
        "air": {"colour": "#c98f86", "visibility": 120000},
        "light": {"ambient": 0.72, "colour": "#c9ccff", "key": {"x": -330, "y": -90, "depth": 760, "reach": 1100, "level": 1.1, "colour": "#ffb870"}},
        "layers": layers,
        "drivers": {"pointer": {"reach_x": 46, "reach_y": 14, "settle": 0.5}, "time": {"duration": SECONDS, "fps": 24, "loop": True}},
        "tracks": [
            {"target": "woman", "channel": "x", "driver": "time", "keys": [{"at": 0, "value": -speed * SECONDS / 2, "ease": "linear"}, {"at": SECONDS, "value": speed * SECONDS / 2}]},
            {"target": "camera", "channel": "focus", "driver": "time", "keys": [
                {"at": 0, "value": 0, "ease": "hold"}, {"at": 3, "value": 0, "ease": "ease-in-out"}, {"at": 5.5, "value": near - far, "ease": "hold"},
                {"at": 11, "value": near - far, "ease": "ease-in-out"}, {"at": 14, "value": 0}]},
            {"target": "camera", "channel": "x", "driver": "time", "drift": {"reach": 14, "pace": 0.12, "seed": 5}},
        ],
    }  # fmt: skip
    document = parse(scene)
    document, _ = apply(document, "cast-shadow", {"layer": "woman", "foot": "440"})
    document, _ = apply(document, "made-add", {"kind": "rain", "sheets": "3", "count": "70", "opacity": "0.3"})
    order = {layer.id: i for i, layer in enumerate(document.layers)}
    rain = [document.layers[order[name]] for name in ("rain-1", "rain-2", "rain-3")]
    kept = [layer for layer in document.layers if not layer.id.startswith("rain-")]
    spots = {"near-row": rain[0], "board": rain[1]}
    arranged = [each for layer in kept for each in ((spots[layer.id], layer) if layer.id in spots else (layer,))] + [
        rain[2]
    ]
    document = document.model_copy(update={"layers": tuple(arranged)})
    document, _ = apply(document, "made-add", {"kind": "vignette", "opacity": "0.45"})
    (HERE / "scene.json").write_text(json.dumps(document.to_json(), indent=2, ensure_ascii=False) + "\n")


if __name__ == "__main__":
    main()
