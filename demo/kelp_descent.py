"""Draws "Kelp descent": a research bell goes down through a kelp forest. `python -m demo.kelp_descent` writes it again.

Every layer's size follows from its rate: the camera sinks TRAVEL pixels, so a sheet at rate k passes TRAVEL·k of itself.
"""

import json
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from demo import brush

HERE = Path(__file__).parent / "kelp-descent"
WIDTH, HEIGHT, TRAVEL = 1920, 1080, 1400
REACH_X, REACH_Y = 60, 30
DISTANCE = WIDTH * 50 / 36


def tall(rate, spare=16):
    """Height in view pixels that a sheet at `rate` needs, and the framing y that puts its top at the view's."""
    top = REACH_Y * rate + spare
    height = HEIGHT + TRAVEL * rate + 2 * top
    return int(np.ceil(height / 2) * 2), TRAVEL * rate / 2


def wide(rate, spare=16):
    """Width in view pixels that a sheet at `rate` needs."""
    return int(np.ceil((WIDTH + 2 * (REACH_X * rate + spare)) / 2) * 2)


def ramp(stops, count):
    """Colours [count, 3] through (position, colour) stops."""
    at = np.linspace(0, 1, count)
    return np.stack([np.interp(at, [s[0] for s in stops], [s[1][i] for s in stops]) for i in range(3)], 1)


def water():
    """Lit water: a bright surface high above, broken by slanting shafts."""
    width, height = WIDTH, HEIGHT
    stops = [(0, (214, 240, 222)), (0.12, (166, 219, 209)), (0.42, (84, 165, 170)), (1, (22, 84, 104))]
    image = np.repeat(ramp(stops, height)[:, None], width, 1)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    sun = np.exp(-(((x - 1180) / 620) ** 2 + ((y + 60) / 420) ** 2))
    image += sun[..., None] * np.array([70, 48, 24])
    rng = np.random.default_rng(3)
    shafts = np.zeros((height, width), np.float32)
    for _ in range(26):
        foot, lean = rng.uniform(200, 2200), rng.uniform(0.10, 0.42)
        slant = x - (foot - 1180) * (y / height) * 1.5 - 1180 + (1180 - foot) * 0.55 + lean * y * 0.3
        shafts += np.exp(-((slant / rng.uniform(14, 60)) ** 2)) * rng.uniform(0.15, 0.7)
    fade = np.clip(1 - y / (height * 0.92), 0, 1) ** 1.1
    image += (shafts * fade)[..., None] * np.array([34, 36, 26])
    image += (brush.noise(width, height, 320, 5)[..., None] - 0.5) * 16
    image += np.random.default_rng(8).normal(0, 1.1, (height, width, 1))
    return np.dstack([np.clip(image, 0, 255), np.full((height, width), 255)]).astype(np.uint8)


def deep():
    """The dark that rises as the bell sinks: laid over the water by an opacity that grows with the scroll."""
    stops = [(0, (24, 112, 120)), (0.4, (12, 66, 82)), (1, (4, 24, 38))]
    image = np.repeat(ramp(stops, HEIGHT)[:, None], WIDTH, 1)
    image += (brush.noise(WIDTH, HEIGHT, 400, 9)[..., None] - 0.5) * 10
    return np.dstack([np.clip(image, 0, 255), np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8)


def reef(rate):
    """Pale shapes far off: three ridges, each a little darker, ending in the deep."""
    width, (height, _) = wide(rate), tall(rate)
    image = brush.canvas(width, height)
    x = np.linspace(-10, width + 10, 260)
    ridges = [(0.52, 110, (116, 184, 182), 11), (0.66, 130, (92, 163, 167), 12), (0.82, 120, (68, 139, 150), 16)]
    for level, amount, colour, seed in ridges:
        line = height * level + brush.wavy(14, 260, amount, seed, 0.9)
        line -= np.maximum(0, np.sin(x / 190 + seed)) ** 5 * 90
        brush.polygon(image, [*np.stack([x, line], 1), (width + 10, height + 5), (-10, height + 5)], colour)
    y = np.mgrid[0:height, 0:width][0] / height
    brush.shade(image, 0.93 + 0.14 * brush.noise(width, height, 120, 4))
    brush.tint(image, (14, 70, 92), np.clip((y - 0.45) * 1.25, 0, 0.8))
    return brush.finish(brush.soften(image, 1.6))


def forest(rate, places, colours, leaf_length, thickness, seed, haze, light_from=0.0, blur=0.0):
    """A row of kelp from the sea floor below the view to the surface above it."""
    width, (height, _) = wide(rate), tall(rate)
    image = brush.canvas(width, height)
    for index, (share, top) in enumerate(places):
        brush.stalk(image, share * width, height * top, height + 60, seed + index, colours, leaf_length, thickness)
    y, x = (axis.astype(np.float32) for axis in np.mgrid[0:height, 0:width])
    brush.shade(image, 0.86 + 0.3 * brush.noise(width, height, 180, seed))
    glow = np.exp(-(((x / width - 0.6) / 0.35) ** 2)) * np.clip(1 - y / (height * 0.6), 0, 1)
    brush.tint(image, (208, 232, 176), glow * light_from)
    brush.tint(image, haze[0], haze[1] + np.clip(y / height - 0.4, 0, 1) * haze[2])
    return brush.finish(brush.soften(image, blur) if blur else image)


def fish():
    """A school of small fish that turns together."""
    width, height = 760, 380
    image = brush.canvas(width, height)
    rng = np.random.default_rng(21)
    for _ in range(46):
        spread = rng.normal(0, 1, 2)
        x, y = 380 + spread[0] * 135, 190 + spread[1] * 58 + spread[0] * 16
        size, turn = rng.uniform(9, 16), rng.normal(-0.08, 0.09)
        t = np.linspace(0, 2 * np.pi, 26)
        body = np.stack([np.cos(t) * size * 1.55, np.sin(t) * size * 0.46 * (1 + 0.25 * np.cos(t))], 1)
        tail = np.array([[size * 1.35, 0], [size * 2.25, -size * 0.6], [size * 1.95, 0], [size * 2.25, size * 0.6]])
        fin = np.array([[-size * 0.2, -size * 0.4], [size * 0.7, -size * 0.85], [size * 0.75, -size * 0.25]])
        spin = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        tone = rng.uniform(0.86, 1.04)
        for part, colour in ((tail, (150, 196, 190)), (fin, (150, 196, 190)), (body, (196, 226, 210))):
            brush.polygon(image, part @ spin.T + (x, y), np.clip(np.array(colour) * tone, 0, 255))
        belly = body[body[:, 1] > 0] * [1, 0.8]
        brush.polygon(image, belly @ spin.T + (x, y), np.array((128, 176, 178)) * tone)
        brush.polygon(
            image, np.stack([np.cos(t), np.sin(t)], 1) * size * 0.11 + (x - size, y - size * 0.1), (24, 54, 66)
        )
    return brush.finish(image)


def bell():
    """The research bell on its cable, lamp lit: brass, rivets, three portholes, and the beam it throws."""
    width, height, cx, cy = 760, 2060, 300, 1640
    image = brush.canvas(width, height)
    beam = np.zeros((height, width, 4), np.float32)
    y, x = (axis.astype(np.float32) for axis in np.mgrid[0:height, 0:width])
    along = (x - cx - 96) * 0.80 + (y - cy - 96) * 0.60
    across = -(x - cx - 96) * 0.60 + (y - cy - 96) * 0.80
    cone = np.exp(-((across / (10 + np.maximum(along, 0) * 0.26)) ** 2) * 2.2) * np.clip(along / 26, 0, 1)
    strength = np.clip(cone * np.exp(-np.maximum(along, 0) / 190) * 0.62, 0, 1)
    beam[..., :3] = np.array([255, 240, 190]) * strength[..., None]
    beam[..., 3] = strength * 255
    cable = np.array([[cx - 3.2, 0], [cx + 3.2, 0], [cx + 3.2, cy - 190], [cx - 3.2, cy - 190]])
    brush.polygon(image, cable, (22, 38, 44))
    for at in range(6, cy - 190, 13):  # the lay of the rope
        brush.polygon(
            image, [(cx - 3.2, at), (cx + 3.2, at - 6), (cx + 3.2, at - 3), (cx - 3.2, at + 3)], (86, 104, 104)
        )
    dark, brass, bright = np.array((92, 52, 22)), np.array((196, 124, 50)), np.array((244, 190, 104))
    ring = np.linspace(0, 2 * np.pi, 160)
    circle = np.stack([np.cos(ring), np.sin(ring)], 1)
    crown = [(-30, -196), (30, -196), (44, -150), (58, -132), (-58, -132), (-44, -150)]
    brush.polygon(image, np.array(crown) + (cx, cy), dark * 1.1)
    brush.polygon(
        image, np.array([(-30, -196), (-6, -196), (-14, -132), (-58, -132), (-44, -150)]) + (cx, cy), brass * 0.8
    )
    brush.polygon(image, circle * 17 + (cx, cy - 204), (38, 44, 44))
    brush.polygon(image, circle * 9 + (cx, cy - 204), (112, 124, 118))
    for leg in (-1, 1):
        foot = np.array([(60, 112), (82, 104), (112, 196), (140, 206), (140, 218), (84, 218), (84, 206), (96, 202)])
        brush.polygon(image, foot * [leg, 1] + (cx, cy), dark * 0.9)
    brush.polygon(image, circle * 148 + (cx, cy), dark)
    for share in np.linspace(0, 1, 44):  # a sphere, lit from above right
        radius = 142 * (1 - share)
        tone = dark + (brass - dark) * min(1, share * 1.7) + (bright - brass) * max(0, share - 0.5) * 1.5
        brush.polygon(image, circle * radius + (cx + 46 * share, cy - 60 * share), np.clip(tone, 0, 255))
    band = np.array([(-141, -14), (141, -14), (141, 20), (-141, 20)])
    brush.polygon(image, band + (cx, cy), dark * 1.25)
    for at in np.linspace(-126, 126, 13):
        brush.polygon(image, circle * 5 + (cx + at, cy + 3), bright * 0.85)
        brush.polygon(image, circle * 3 + (cx + at - 1, cy + 2), bright)
    for px, py, size in ((0, 0, 78), (-104, 4, 30), (104, 4, 30)):
        brush.polygon(image, circle * [size * (1 if px == 0 else 0.62), size] + (cx + px, cy + py), dark * 0.8)
        inner = size - 12
        brush.polygon(image, circle * [(inner + 5) * (1 if px == 0 else 0.6), inner + 5] + (cx + px, cy + py), brass)
        for share in np.linspace(0, 1, 18):
            glass = np.array((14, 44, 58)) * (1 - share) + np.array((255, 216, 140)) * share
            radius = inner * (1 - 0.85 * share)
            brush.polygon(
                image, circle * [radius * (1 if px == 0 else 0.6), radius] + (cx + px, cy + py + 10 * share), glass
            )
    figure = np.array([(-26, 62), (-24, 22), (-12, 8), (12, 8), (24, 22), (26, 62)])
    brush.polygon(image, figure * [1, 0.9] + (cx + 2, cy + 2), (26, 40, 48))
    brush.polygon(image, circle * [15, 17] + (cx + 2, cy - 6), (26, 40, 48))
    shine = np.array([(-46, -40), (-30, -54), (-14, -60), (-20, -50), (-36, -34), (-44, -18)])
    brush.polygon(image, shine + (cx, cy), (206, 226, 214))
    brush.polygon(image, np.array([(74, 74), (112, 84), (118, 116), (80, 112)]) + (cx, cy), dark * 0.7)
    brush.polygon(image, circle * [12, 17] + (cx + 112, cy + 100), (255, 246, 206))
    brush.shade(image, 0.9 + 0.22 * brush.noise(width, height, 26, 31))
    lit = np.clip(beam, 0, 255).astype(np.uint8)
    brush.over(lit, image)
    return brush.finish(lit)


def plankton(width, height, seed, count):
    """Drifting specks, some soft and large."""
    image = brush.canvas(width, height)
    rng = np.random.default_rng(seed)
    ring = np.linspace(0, 2 * np.pi, 18)
    for _ in range(count):
        speck = brush.canvas(64, 64)
        size, strength = rng.uniform(1.2, 7) ** 1.2, rng.uniform(0.15, 0.6)
        shape = np.stack([np.cos(ring), np.sin(ring)], 1) * size * rng.uniform(0.8, 1.2, (18, 1))
        brush.polygon(speck, shape + 32, (222, 240, 214))
        speck = (brush.soften(speck, 0.5 + size * 0.3) * strength).astype(np.uint8)
        x, y = int(rng.uniform(0, width - 64)), int(rng.uniform(0, height - 64))
        brush.over(image[y : y + 64, x : x + 64], speck)
    return image


def fronds(rate, scale):
    """Out-of-focus fronds close to the eye, with plankton: drawn small, since they are never sharp."""
    width, height = int(wide(rate) / scale), int(tall(rate)[0] / scale)
    image = brush.canvas(width, height)
    colours = ((5, 26, 28), (9, 38, 38), (16, 52, 48))
    for index, (share, top, bottom) in enumerate(
        ((-0.02, 0.02, 0.36), (1.02, 0.26, 0.62), (-0.03, 0.6, 1.05), (1.01, 0.72, 1.05))
    ):
        brush.stalk(image, share * width, height * top, height * bottom, 70 + index, colours, 190, 15, sway=26)
    image = brush.soften(image, 9)
    brush.over(image, plankton(width, height, 5, 210))
    return brush.finish(image)


def layers():
    """(id, name, pixels, rate, framing, extra) far to near."""
    rates = {"reef": 0.16, "far": 0.3, "fish": 0.42, "middle": 0.58, "bell": 1.0, "near": 1.3, "fronds": 1.7}
    far = ((120, 184, 178), (132, 196, 184), (156, 212, 196))
    middle = ((34, 104, 92), (46, 122, 100), (84, 152, 112))
    near = ((8, 46, 44), (14, 62, 54), (36, 92, 70))
    spread = [
        (0.04, 0.02),
        (0.13, 0.14),
        (0.24, -0.02),
        (0.31, 0.2),
        (0.42, 0.1),
        (0.55, 0.24),
        (0.63, 0.04),
        (0.74, 0.16),
        (0.83, -0.02),
        (0.92, 0.12),
        (0.99, 0.04),
    ]
    yield "lit-water", "Lit water", water(), 0.0, {}, {}
    yield "deep-water", "Deep water", deep(), 0.0, {}, {}
    yield "pale-reefs", "Pale reefs", reef(rates["reef"]), rates["reef"], {"y": tall(rates["reef"])[1]}, {}
    yield ("far-kelp", "Far kelp", forest(rates["far"], spread, far, 84, 6, 100, ((112, 186, 182), 0.2, 0.9), 0.3, 1.0),
           rates["far"], {"y": tall(rates["far"])[1]}, {})  # fmt: skip
    yield "small-fry", "Small fry", fish(), rates["fish"], {"x": 430, "y": 60}, {}
    places = [
        (0.03, -0.02),
        (0.17, 0.12),
        (0.285, 0.02),
        (0.40, 0.22),
        (0.66, 0.16),
        (0.735, -0.02),
        (0.87, 0.1),
        (0.97, 0.0),
    ]
    yield ("middle-kelp", "Middle kelp", forest(rates["middle"], places, middle, 150, 11, 200, ((40, 112, 112), 0.18, 0.5), 0.34),
           rates["middle"], {"y": tall(rates["middle"])[1]}, {})  # fmt: skip
    yield "research-bell", "Research bell", bell(), rates["bell"], {"x": 40, "y": -640}, {}
    yield ("near-kelp", "Near kelp", forest(rates["near"], [(0.02, 0.0), (0.115, 0.2), (0.9, 0.05), (0.985, -0.02)], near, 240, 19, 300, ((6, 40, 48), 0.1, 0.35), 0.25),
           rates["near"], {"y": tall(rates["near"])[1]}, {})  # fmt: skip
    yield ("fronds", "Fronds and plankton", fronds(rates["fronds"], 2.0), rates["fronds"],
           {"y": tall(rates["fronds"])[1], "scale": 2.0}, {})  # fmt: skip


def tracks():
    """The descent, the bell that keeps to the view, the dark that rises, and what lives on its own."""

    def over_time(target, channel, reach, phase=0.0):
        sign = -1 if phase else 1
        keys = [
            {"at": at, "value": sign * value * reach, "ease": "smooth"}
            for at, value in ((0, 0), (3, 1), (9, -1), (12, 0))
        ]
        return {"target": target, "channel": channel, "driver": "time", "keys": keys}

    def over_scroll(target, channel, *keys):
        return {"target": target, "channel": channel, "driver": "scroll",
                "keys": [{"at": at, "value": value, "ease": ease} for at, value, ease in keys]}  # fmt: skip

    return [
        over_scroll("camera", "y", (0, 0, "ease-in-out"), (1, TRAVEL, "linear")),
        over_scroll("deep-water", "opacity", (0, 0, "linear"), (1, 0.82, "linear")),
        over_scroll("pale-reefs", "opacity", (0, 1, "linear"), (0.35, 0.9, "linear"), (1, 0.3, "linear")),
        over_scroll("far-kelp", "opacity", (0, 1, "linear"), (0.5, 0.9, "linear"), (1, 0.55, "linear")),
        over_scroll("research-bell", "y", (0, 0, "ease-in-out"), (1, TRAVEL + 60, "linear")),
        over_time("research-bell", "rotation", 1.1),
        over_time("current", "x", 70),
        {"target": "current", "channel": "y", "driver": "time", "drift": {"reach": 14, "pace": 0.25, "seed": 4}},
    ]


# the water that takes the school along: what is to swim with it rides on it too
CARRIERS = [{"id": "current", "name": "Current"}]
RIDES = {"small-fry": "current"}


# what the water does to each sheet, beside the air: the bell's lamp glows, light and what floats in front keep their colours
CLEAR = {"takes": {"air": False}}
LOOKS = {
    "research-bell": {"look": [{"step": "glow", "of": "bright", "above": 0.7, "radius": 26, "strength": 0.8}]},
    "lit-water": CLEAR, "deep-water": CLEAR, "fronds": CLEAR,
}  # fmt: skip


def main():
    (HERE / "art").mkdir(parents=True, exist_ok=True)
    entries = []
    for layer_id, name, pixels, rate, framing, extra in layers():
        file = f"art/{layer_id}.webp"
        Image.fromarray(pixels).save(HERE / file, quality=90, method=6, alpha_quality=100)
        depth = "infinite" if rate == 0 else round(DISTANCE * (1 / rate - 1), 1) + 0.0
        art = {"file": file, "width": pixels.shape[1], "height": pixels.shape[0]}
        framing = {key: round(float(value), 2) for key, value in framing.items()}
        entries.append({"id": layer_id, "name": name, "art": art, "depth": depth, "framing": framing, **extra,
                        **({"carrier": RIDES[layer_id]} if layer_id in RIDES else {}), **LOOKS.get(layer_id, {})})  # fmt: skip
    scene = {
        "format": "clinamen/scene", "version": 1, "title": "Kelp descent",
        "view": {"width": WIDTH, "height": HEIGHT, "background": "#06222e"},
        "lens": {"focal_length": 50, "sensor_width": 36},
        "air": {"colour": "#3f9aa0", "visibility": 140000},
        "carriers": CARRIERS,
        "layers": entries,
        "drivers": {
            "scroll": {"length": 4200},
            "pointer": {"reach_x": REACH_X, "reach_y": REACH_Y, "settle": 0.4},
            "time": {"duration": 12, "fps": 25, "loop": True},
        },
        "tracks": tracks(),
    }  # fmt: skip
    (HERE / "scene.json").write_text(json.dumps(scene, indent=2) + "\n")


if __name__ == "__main__":
    cv2.setNumThreads(2)
    main()
