"""Draws "Orrery": one flat picture of a brass orrery on a workbench. `python -m demo.orrery` writes it again.

The script also knows the true mask and the true background, which `truth` gives: cutting and filling are measured
against them. The picture is to be cut, filled, spaced and pushed into.
"""

import io
import json
from pathlib import Path

import cv2
import numpy as np
import resvg_py
from PIL import Image

from demo import brush

HERE = Path(__file__).parent / "orrery"
WIDTH, HEIGHT, FINER = 4200, 2800, 2  # drawn in a space of half that size
W, H = WIDTH // FINER, HEIGHT // FINER
BENCH = 940
CX = 1080

DEFS = """<defs>
<linearGradient id="brass" x1="0" x2="1" y1="0" y2="0"><stop offset="0" stop-color="#5b3409"/><stop offset=".16" stop-color="#b67a26"/>
<stop offset=".3" stop-color="#ffe7a0"/><stop offset=".42" stop-color="#dca345"/><stop offset=".7" stop-color="#96601c"/>
<stop offset=".88" stop-color="#6b3f0e"/><stop offset="1" stop-color="#c48a3a"/></linearGradient>
<linearGradient id="plate" x1="0" x2="1" y1="0" y2=".3"><stop offset="0" stop-color="#8d5a1b"/><stop offset=".33" stop-color="#ffdf94"/>
<stop offset=".6" stop-color="#c98f38"/><stop offset="1" stop-color="#7d4c14"/></linearGradient>
<linearGradient id="rod" x1="0" x2="0" y1="0" y2="1"><stop offset="0" stop-color="#8a5818"/><stop offset=".3" stop-color="#ffe09a"/>
<stop offset=".6" stop-color="#c08430"/><stop offset="1" stop-color="#5f380b"/></linearGradient>
<radialGradient id="sun" cx=".38" cy=".33" r=".72"><stop offset="0" stop-color="#fff8dc"/><stop offset=".35" stop-color="#ffd978"/>
<stop offset=".75" stop-color="#e08f2c"/><stop offset="1" stop-color="#8e4a0f"/></radialGradient>
%s
</defs>"""
PLANETS = [  # (id, light, middle, dark)
    ("mercury", "#f0dcc4", "#b0825c", "#4f3018"), ("venus", "#fff0c4", "#e0a955", "#6f4314"),
    ("earth", "#e4fbff", "#4fa3c4", "#123a5c"), ("mars", "#ffd2ae", "#c75a34", "#571d10"),
    ("jupiter", "#ffeed2", "#d69c68", "#6a3a1c"), ("saturn", "#fff3cf", "#dcb36a", "#72501f"),
]  # fmt: skip


def ball(name, colours):
    light, middle, dark = colours
    return (f'<radialGradient id="{name}" cx=".35" cy=".3" r=".78"><stop offset="0" stop-color="{light}"/>'
            f'<stop offset=".45" stop-color="{middle}"/><stop offset="1" stop-color="{dark}"/></radialGradient>')  # fmt: skip


def drawn(body, width=W, height=H):
    """An SVG body as straight-alpha pixels at the picture's full size."""
    defs = DEFS % "".join(ball(name, colours) for name, *colours in PLANETS)
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">{defs}{body}</svg>'
    png = resvg_py.svg_to_bytes(svg_string=svg, width=width * FINER, height=height * FINER)
    return np.asarray(Image.open(io.BytesIO(bytes(png))).convert("RGBA"))


def lathe(cx, profile, fill="url(#brass)"):
    """A turned piece: half-widths down a profile of (y, radius), smoothed into a silhouette."""
    y = np.array([p[0] for p in profile], float)
    r = np.array([p[1] for p in profile], float)
    fine = np.linspace(0, len(y) - 1, 12 * len(y))
    yy, rr = np.interp(fine, np.arange(len(y)), y), np.interp(fine, np.arange(len(r)), r)
    rr = np.convolve(np.pad(rr, 4, mode="edge"), np.ones(9) / 9, "valid")
    left = [f"{cx - b:.1f},{a:.1f}" for a, b in zip(yy, rr, strict=True)]
    right = [f"{cx + b:.1f},{a:.1f}" for a, b in zip(yy[::-1], rr[::-1], strict=True)]
    return f'<polygon points="{" ".join(left + right)}" fill="{fill}"/>'


def disc(cx, cy, rx, ry, thick, fill="url(#brass)", top="url(#plate)"):
    side = f"M{cx - rx} {cy}V{cy + thick}A{rx} {ry} 0 0 0 {cx + rx} {cy + thick}V{cy}Z"
    return f'<path d="{side}" fill="{fill}"/><ellipse cx="{cx}" cy="{cy}" rx="{rx}" ry="{ry}" fill="{top}"/>'


def gear(cx, cy, rx, ry, thick, teeth):
    """A toothed wheel lying flat, seen at a slant."""
    angle = np.linspace(0, 2 * np.pi, teeth * 4, endpoint=False)
    reach = np.tile([1.0, 1.075, 1.075, 1.0], teeth)
    top = np.stack([cx + rx * reach * np.cos(angle), cy + ry * reach * np.sin(angle)], 1)
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in top)
    under = " ".join(f"{x:.1f},{y + thick:.1f}" for x, y in top)
    walls = "".join(
        f'<polygon points="{a[0]:.1f},{a[1]:.1f} {b[0]:.1f},{b[1]:.1f} {b[0]:.1f},{b[1] + thick:.1f} {a[0]:.1f},{a[1] + thick:.1f}" fill="{"#6a3f10" if i % 4 else "#b27a2c"}"/>'
        for i, (a, b) in enumerate(zip(top, np.roll(top, -1, 0), strict=True))
        if a[1] > cy - ry * 0.2
    )
    rings = "".join(
        f'<ellipse cx="{cx}" cy="{cy}" rx="{rx * s:.1f}" ry="{ry * s:.1f}" fill="none" stroke="#7d4c14" stroke-opacity=".55" stroke-width="3"/>'
        for s in (0.9, 0.55)
    )
    return f'<polygon points="{under}" fill="#5d370d"/>{walls}<polygon points="{points}" fill="url(#plate)"/>{rings}'


ARMS = [  # planet, how far out, angle, height of its post, radius
    ("saturn", 620, 197, 150, 62), ("jupiter", 520, 338, 205, 78), ("mars", 400, 158, 250, 36),
    ("earth", 330, 22, 130, 50), ("venus", 250, 232, 215, 40), ("mercury", 215, 325, 265, 27),
]  # fmt: skip


def arm(name, out, angle, post, radius, hub):
    """An arm from the hub to a post that carries a planet."""
    a = np.radians(angle)
    x, y = CX + out * np.cos(a), hub + out * np.sin(a) * 0.26
    bow = hub + (y - hub) * 0.5 + 26
    middle = (CX + x) / 2
    parts = [
        f'<path d="M{CX} {hub}Q{middle:.1f} {bow:.1f} {x:.1f} {y:.1f}" fill="none" stroke="#5a350b" stroke-width="23" stroke-linecap="round"/>',
        f'<path d="M{CX} {hub - 3}Q{middle:.1f} {bow - 3:.1f} {x:.1f} {y - 3:.1f}" fill="none" stroke="#c98d36" stroke-width="15" stroke-linecap="round"/>',
        f'<path d="M{CX} {hub - 6}Q{middle:.1f} {bow - 6:.1f} {x:.1f} {y - 6:.1f}" fill="none" stroke="#ffe3a0" stroke-width="4" stroke-linecap="round"/>',
        lathe(
            x,
            [
                (y + 14, 20),
                (y + 2, 22),
                (y - 14, 12),
                (y - post * 0.5, 8.5),
                (y - post + radius - 6, 8.5),
                (y - post + radius, 15),
            ],
        ),
    ]
    cy = y - post
    if name == "saturn":
        back = f'<path d="M{x - 112:.1f} {cy:.1f}A112 27 0 0 1 {x + 112:.1f} {cy:.1f}" fill="none" stroke="#a87a34" stroke-width="15"/>'
        front = f'<path d="M{x - 112:.1f} {cy:.1f}A112 27 0 0 0 {x + 112:.1f} {cy:.1f}" fill="none" stroke="#f0cf87" stroke-width="15"/>'
        turn = f'transform="rotate(-13 {x:.1f} {cy:.1f})"'
        globe = f'<circle cx="{x:.1f}" cy="{cy:.1f}" r="{radius}" fill="url(#{name})"/>'
        parts.append(f"<g {turn}>{back}</g>{globe}<g {turn}>{front}</g>")
    else:
        parts.append(f'<circle cx="{x:.1f}" cy="{cy:.1f}" r="{radius}" fill="url(#{name})"/>')
    if name == "jupiter":
        bands = "".join(
            f'<path d="M{x - np.sqrt(radius**2 - d**2):.1f} {cy + d:.1f}A{np.sqrt(radius**2 - d**2):.1f} 12 0 0 0 {x + np.sqrt(radius**2 - d**2):.1f} {cy + d:.1f}" fill="none" stroke="#7a4522" stroke-opacity=".4" stroke-width="{t}"/>'
            for d, t in ((-40, 9), (-14, 14), (16, 10), (42, 8))
        )
        parts.append(bands)
    if name == "earth":
        parts.append(
            f'<path d="M{x - 30:.1f} {cy - 22:.1f}q24 -18 40 4q-6 18 -22 14q-10 14 -18 2zM{x + 2:.1f} {cy + 14:.1f}q20 -6 24 6q-8 20 -18 12z" fill="#7fa064" fill-opacity=".75"/>'
        )
    shine = f'<ellipse cx="{x - radius * 0.34:.1f}" cy="{cy - radius * 0.42:.1f}" rx="{radius * 0.22:.1f}" ry="{radius * 0.13:.1f}" fill="#fff" fill-opacity=".65" transform="rotate(-35 {x - radius * 0.34:.1f} {cy - radius * 0.42:.1f})"/>'
    return y, "".join([*parts, shine])


def orrery():
    """The subject alone, on clear ground."""
    hub = 700
    foot = 1180
    body = []
    for x in (-1, 1):
        body.append(
            f'<path d="M{CX + x * 150} {foot - 40}q{x * 90} 4 {x * 128} 66q{x * 6} 26 {-x * 30} 26q{-x * 44} 0 {-x * 52} -34q{-x * 14} -26 {-x * 76} -22z" fill="url(#brass)"/>'
        )
    body.append(
        f'<path d="M{CX - 46} {foot - 10}q46 -22 92 0q10 66 -10 86q-36 18 -72 0q-20 -20 -10 -86z" fill="url(#brass)"/>'
    )
    body.append(disc(CX, foot - 70, 262, 66, 44))
    body.append(disc(CX, foot - 96, 226, 56, 26))
    body.append(
        lathe(
            CX,
            [
                (foot - 96, 150),
                (foot - 120, 132),
                (foot - 150, 74),
                (foot - 178, 60),
                (foot - 190, 78),
                (foot - 204, 78),
                (foot - 216, 50),
                (foot - 290, 40),
                (foot - 300, 56),
            ],
        )
    )
    body.append(gear(CX, foot - 318, 176, 42, 22, 48))
    body.append(
        lathe(
            CX,
            [
                (foot - 322, 62),
                (foot - 350, 48),
                (foot - 372, 34),
                (hub + 60, 32),
                (hub + 40, 56),
                (hub + 18, 60),
                (hub, 44),
            ],
        )
    )
    body.append(gear(CX, hub + 56, 98, 24, 16, 30))
    arms = sorted((arm(*spec, hub) for spec in ARMS), key=lambda made: made[0])
    body += [made for y, made in arms if y <= hub]
    body.append(disc(CX, hub - 22, 74, 20, 30))
    body.append(lathe(CX, [(hub - 22, 46), (hub - 50, 26), (hub - 130, 20), (hub - 150, 38), (hub - 166, 44)]))
    body.append(f'<circle cx="{CX}" cy="{hub - 262}" r="112" fill="url(#sun)"/>')
    body.append(
        f'<ellipse cx="{CX - 38}" cy="{hub - 308}" rx="27" ry="15" fill="#fff" fill-opacity=".75" transform="rotate(-35 {CX - 38} {hub - 308})"/>'
    )
    body += [made for y, made in arms if y > hub]
    return drawn("".join(body)).copy()


def bench():
    """The true background: a wall in dusk, shelves out of focus, the bench with papers and tools, and the shadow."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    x, y = x / FINER, y / FINER
    wall = (
        np.array([38, 58, 70], np.float32)
        * (0.55 + 0.5 * np.exp(-(((x - 420) / 900) ** 2 + ((y - 250) / 620) ** 2)))[..., None]
    )
    picture = np.dstack([np.clip(wall, 0, 255), np.full((HEIGHT, WIDTH), 255, np.float32)]).astype(np.uint8)
    soft = ['<g opacity=".96"><rect x="150" y="60" width="470" height="560" rx="12" fill="#1c2f3a"/>']
    for i in range(2):
        for j in range(3):
            soft.append(
                f'<rect x="{172 + i * 216}" y="{82 + j * 178}" width="196" height="160" rx="4" fill="{("#9fd0d6", "#7fb8c6", "#6aa3b8")[j]}" fill-opacity="{0.9 - 0.14 * j}"/>'
            )
    soft.append("</g>")
    rng = np.random.default_rng(4)
    for top in (330, 600):
        soft.append(f'<rect x="1390" y="{top}" width="760" height="26" fill="#20160f"/>')
        at = 1400.0
        while at < 2080:
            wide, tall = rng.uniform(26, 62), rng.uniform(120, 215)
            tone = ("#31525c", "#3f6670", "#5c4a35", "#27424c", "#6b3b2c", "#4b5a4c")[int(rng.integers(6))]
            soft.append(
                f'<rect x="{at:.0f}" y="{top - tall:.0f}" width="{wide:.0f}" height="{tall:.0f}" rx="4" fill="{tone}"/>'
            )
            soft.append(
                f'<rect x="{at + 6:.0f}" y="{top - tall + 24:.0f}" width="{wide - 12:.0f}" height="8" fill="#c9b98c" fill-opacity=".5"/>'
            )
            at += wide + (rng.uniform(40, 120) if rng.random() < 0.2 else 3)
    layer = brush.soften(_premultiplied(drawn("".join(soft))), 13)
    brush.over(picture, layer)
    glow = np.exp(-(((x - 384) / 520) ** 2 + ((y - 340) / 460) ** 2))[..., None] * np.array([30, 52, 56], np.float32)
    picture[..., :3] = np.clip(picture[..., :3] + glow, 0, 255).astype(np.uint8)
    _wood(picture, x, y)
    brush.over(picture, brush.soften(_premultiplied(drawn(_things())), 3))
    _shadow(picture)
    grain = np.random.default_rng(9).normal(0, 1.6, (HEIGHT, WIDTH, 1)).astype(np.float32)
    picture[..., :3] = np.clip(picture[..., :3] + grain, 0, 255).astype(np.uint8)
    return picture


def _wood(picture, x, y):
    """The bench: planks running away, grain stretched along them."""
    below = np.clip((y - BENCH) / (H - BENCH), 0, 1)
    far = 1 / (0.35 + 0.65 * below)
    across = (x - CX) * far
    plank = np.floor(across / 330 + 50)
    tone = 0.86 + 0.22 * np.modf(np.sin(plank * 12.9898) * 43758.5453)[0].astype(np.float32)
    grain = brush.noise(WIDTH, 600, 90, 21)[:1]
    rows = cv2.resize(brush.noise(1400, 300, 60, 22, 5), (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    rings = 0.5 + 0.5 * np.sin(across / 9 + rows * 26 + grain * 4)
    light = 0.5 + 0.72 * np.exp(-(((x - 640) / 900) ** 2 + ((y - 1120) / 380) ** 2))
    colour = np.array([78, 50, 34], np.float32) * (tone * light * (0.86 + 0.16 * rings))[..., None]
    joint = np.abs(across / 330 - np.round(across / 330)) < 0.008 * far
    colour = np.where(joint[..., None], colour * 0.45, colour)
    edge = np.clip((y - BENCH) / 3, 0, 1)[..., None]
    picture[..., :3] = np.clip(picture[..., :3] * (1 - edge) + colour * edge, 0, 255).astype(np.uint8)


def _things():
    """Papers and tools on the bench."""
    sheet = '<g transform="translate(180 1065) skewX(-24) scale(1 .42)"><rect width="520" height="520" fill="#d9d2bd"/>'
    sheet += "".join(
        f'<ellipse cx="260" cy="250" rx="{r}" ry="{r}" fill="none" stroke="#40606b" stroke-width="4"/>'
        for r in (50, 95, 140, 190)
    )
    sheet += (
        "".join(f'<rect x="36" y="{450 + 18 * i}" width="{420 - 90 * i}" height="6" fill="#7d8a86"/>' for i in range(3))
        + "</g>"
    )
    pencil = '<g transform="translate(300 1290) rotate(-14)"><rect width="330" height="17" rx="3" fill="#8e2f22"/><path d="M330 0l42 8.5l-42 8.5z" fill="#e4cfa4"/><path d="M360 6l12 2.5l-12 2.5z" fill="#222"/></g>'
    jar = '<g transform="translate(1660 1000)"><ellipse cx="90" cy="180" rx="96" ry="24" fill="#0d0a08" fill-opacity=".55"/><path d="M0 0h180v150q-4 34 -90 34t-90 -34z" fill="#3b5d66" fill-opacity=".82"/><ellipse cx="90" cy="0" rx="90" ry="20" fill="#5d8791"/><rect x="22" y="16" width="16" height="128" rx="8" fill="#cfe9ea" fill-opacity=".45"/>'
    jar += (
        "".join(
            f'<path d="M{40 + 26 * i} -6l{-14 + 9 * i} -190" stroke="{c}" stroke-width="13" stroke-linecap="round"/>'
            for i, c in enumerate(("#4a6b62", "#7c6a4a", "#39545f", "#6c7d77"))
        )
        + "</g>"
    )
    nuts = "".join(
        f'<ellipse cx="{px}" cy="{py}" rx="21" ry="10" fill="#4d5a5e"/><ellipse cx="{px}" cy="{py - 4}" rx="20" ry="9" fill="#93a5a8"/><ellipse cx="{px}" cy="{py - 4}" rx="8" ry="3.6" fill="#2c231b"/>'
        for px, py in ((1520, 1290), (1580, 1318), (1490, 1340), (1848, 1300))
    )
    return sheet + pencil + jar + nuts


def _shadow(picture):
    """What the orrery's shadow takes from the bench."""
    body = f'<ellipse cx="{CX + 60}" cy="1212" rx="360" ry="84" fill="#000"/>'
    for _, out, angle, _, radius in ARMS:
        a = np.radians(angle)
        px, py = CX + 130 + out * np.cos(a) * 0.9, 1150 + out * np.sin(a) * 0.2
        body += f'<path d="M{CX + 70} 1190L{px:.0f} {py:.0f}" stroke="#000" stroke-width="22"/><ellipse cx="{px:.0f}" cy="{py:.0f}" rx="{radius}" ry="{radius * 0.34:.0f}" fill="#000"/>'
    dark = cv2.GaussianBlur(drawn(body)[..., 3].astype(np.float32) / 255, (0, 0), 34) * 0.62
    picture[..., :3] = (picture[..., :3] * (1 - dark[..., None])).astype(np.uint8)


def _premultiplied(pixels):
    out = pixels.astype(np.float32)
    out[..., :3] *= out[..., 3:] / 255
    return np.rint(out).astype(np.uint8)


def truth():
    """(picture, mask, background): the flat picture [h, w, 3], the subject's true alpha [h, w], the true background."""
    subject, background = orrery(), bench()
    tone = 0.92 + 0.16 * brush.noise(WIDTH, HEIGHT, 420, 31)[..., None]
    grain = np.random.default_rng(10).normal(0, 1.6, (HEIGHT, WIDTH, 1))
    colour = np.clip(subject[..., :3] * tone + grain, 0, 255)
    alpha = subject[..., 3:].astype(np.float32) / 255
    picture = np.rint(colour * alpha + background[..., :3] * (1 - alpha)).astype(np.uint8)
    return picture, subject[..., 3], background[..., :3]


def marks():
    """What a person paints after the first look at the cut: (belongs, radius, from, to) in thousandths of the width."""
    return (
        (True, 19, (656, 283), (664, 290)), (False, 7, (457, 262), (464, 300)), (False, 3, (354, 339), (400, 338)),
        (False, 5, (183, 602), (304, 575)), (False, 7, (179, 507), (329, 507)), (True, 8, (333, 229), (342, 237)),
        (False, 3, (677, 303), (677, 312)),
    )  # fmt: skip


def cut(mask):
    """The step that cuts the orrery out: a box around it, and the marks."""
    ys, xs = np.nonzero(mask)
    share = mask.shape[1] / 1000
    strokes = [
        {"belongs": belongs, "radius": radius * share, "points": [{"x": x * share, "y": y * share} for x, y in ends]}
        for belongs, radius, *ends in marks()
    ]
    x0, y0, x1, y1 = int(xs.min()) - 20, int(ys.min()) - 20, int(xs.max()) + 20, int(ys.max()) + 20
    return {"step": "assisted", "box": {"x": x0, "y": y0, "width": x1 - x0, "height": y1 - y0}, "marks": strokes}


def scene(mask):
    """The picture taken apart: the bench behind, filled as far as the push uncovers it, the orrery in front."""
    file = {"file": "art/orrery.jpeg", "width": WIDTH, "height": HEIGHT}
    size = {"width": WIDTH, "height": HEIGHT}
    step, distance, framed = cut(mask), 1920 * 50 / 36, {"y": -56, "scale": 0.5}
    fill = {"step": "fill", "method": "texture", "reach": 110, "behind": "orrery"}
    behind = {"width": WIDTH, "height": HEIGHT, "steps": [{**step, "invert": True}, fill]}

    def over_time(channel, *keys):
        return {"target": "camera", "channel": channel, "driver": "time",
                "keys": [{"at": at, "value": value, "ease": "ease-in-out"} for at, value in keys]}  # fmt: skip

    return {
        "format": "clinamen/scene", "version": 1, "title": "Orrery",
        "view": {"width": 1920, "height": 1080, "background": "#0d1418"},
        "lens": {"focal_length": 50, "sensor_width": 36},
        "layers": [
            {"id": "bench", "name": "Bench and wall", "art": file, "recipe": behind, "depth": round(distance * (1 / 0.72 - 1), 1), "framing": framed},
            {"id": "orrery", "name": "Orrery", "art": file, "recipe": {**size, "steps": [step]}, "depth": 0, "framing": framed},
        ],
        "drivers": {"pointer": {"reach_x": 24, "reach_y": 8, "settle": 0.6}, "time": {"duration": 10, "fps": 24, "loop": False}},
        "tracks": [over_time("x", (0, -90), (10, 70)), over_time("z", (0, 0), (10, 180))],
    }  # fmt: skip


def main():
    (HERE / "art").mkdir(parents=True, exist_ok=True)
    picture, mask, _ = truth()
    Image.fromarray(picture).save(HERE / "art" / "orrery.jpeg", quality=90, subsampling=0)
    (HERE / "scene.json").write_text(json.dumps(scene(mask), indent=1) + "\n")


if __name__ == "__main__":
    main()
