"""A scene as CSS: the placement formula as a transform chain, tracks as keyframes, drivers as custom properties.

Every track animates one registered number, and each layer's transform is a calc() over those numbers, so a browser
computes exactly the core's formula and no script holds a rule. A sheet that only slides gets keyframes of `translate`
of its own instead, which a browser can run beside the page's own work. Timelines: `--scroll` and `--time` hold an
animation where they say when the scene is `held`; otherwise a view timeline and the clock run it.
Sources: CSS Transforms 2, CSS Easing 2, Scroll-driven Animations 1, CSS Properties and Values 1.
"""

import hashlib
import json
import math
from dataclasses import dataclass

import numpy as np

from clinamen.core.document import CAMERA_CHANNELS, MULTIPLIED_CHANNELS, Layer, Scene, Track
from clinamen.core.motion.pose import Motion, camera_slides, resting_camera
from clinamen.core.motion.tracks import Curve, pieces_of
from clinamen.core.optics import rate_of
from clinamen.core.proof.needs import Needs

PAUSE = """.clinamen-pause{position:absolute;right:16px;bottom:16px;padding:6px 12px;border:1px solid #fff;border-radius:4px;
background:#000a;color:#fff;font:14px system-ui,sans-serif;cursor:pointer}
.clinamen-pause:focus-visible{outline:2px solid #fff;outline-offset:2px}"""
MOST_TILES = 24  # copies of a repeating sheet to each side


@dataclass(frozen=True)
class Picture:
    """What an element shows of a layer's art: image addresses, and the trimmed part (left, top, width, height)."""

    sources: tuple[tuple[str, str], ...]  # (media type, srcset)
    src: str
    srcset: str
    part: tuple[int, int, int, int]


def prefix_of(scene: Scene) -> str:
    """A short name for the scene's classes, so that two scenes share a page."""
    text = json.dumps([scene.title, [layer.id for layer in scene.layers]])
    return "c" + hashlib.sha256(text.encode()).hexdigest()[:6]


def number(value: float) -> str:
    """A number as CSS and people write it."""
    text = f"{value:.9f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


@dataclass(frozen=True)
class _Track:
    """A track with its custom property and compiled curve."""

    index: int
    track: Track
    curve: Curve
    end: float

    @property
    def var(self) -> str:
        return f"--k{self.index}"

    def frames(self, prop: str, value: str, factor: float = 1.0) -> str:
        """Keyframes of `prop`; `value` is a template with {} for the number times `factor`."""

        def frame(at: float, number_: float, easing: str = "") -> str:
            timing = f"animation-timing-function:{easing}" if easing else ""
            return f"{number(at / self.end * 100)}%{{{prop}:{value.format(number(number_ * factor))};{timing}}}"

        keys = self.track.keys
        out = [frame(0, keys[0].value, "step-end")] if keys[0].at > 0 else []
        for piece in pieces_of(self.track):
            if piece.handles is None:
                easing = "step-start" if piece.jumps_at_start else "step-end"
            else:
                easing = f"cubic-bezier({','.join(number(handle) for handle in piece.handles)})"
            out.append(frame(piece.start, piece.first, easing))
        out.append(frame(keys[-1].at, keys[-1].value, "step-end" if keys[-1].at < self.end else ""))
        if keys[-1].at < self.end:
            out.append(frame(self.end, keys[-1].value))
        return "".join(out)

    def at_rest(self) -> float:
        return float(self.curve.value(np.zeros(1))[0])


class Stylesheet:
    """The style sheet and markup of a scene. `held`: the editor's form, always driven by --scroll and --time."""

    def __init__(self, scene: Scene, pictures: dict[str, Picture], prefix: str = "") -> None:
        self.scene, self.pictures = scene, pictures
        self.prefix = prefix or prefix_of(scene)
        self.motion = Motion(scene)
        self.layers = [layer for layer in scene.layers if layer.visible]
        self.tracks = [
            _Track(index, track, Curve(track), self._end(track))
            for index, track in enumerate(scene.tracks)
            if getattr(scene.drivers, track.driver) is not None
        ]
        self.camera_slides = camera_slides(scene)
        self.needs = Needs(scene, self.motion) if any(_repeats(layer) for layer in self.layers) else None

    def _end(self, track: Track) -> float:
        return 1.0 if track.driver == "scroll" or self.scene.drivers.time is None else self.scene.drivers.time.duration

    # --- what moves how ----------------------------------------------------------------------------------------------

    def _of(self, target: str, channel: str = "") -> list[_Track]:
        return [t for t in self.tracks if t.track.target == target and channel in ("", t.track.channel)]

    def slides(self, layer: Layer) -> list[tuple[_Track, str, float]]:
        """The scroll tracks that a sheet can run as keyframes of its own: (track, axis, pixels per unit)."""
        own = {t.track.channel for t in self._of(layer.id)}
        frontal = layer.tilt.lean == layer.tilt.turn == 0 and not own & {"lean", "turn", "depth"}
        if not frontal or not self.camera_slides:
            return []
        zoom = self.scene.camera.zoom
        rate = rate_of(layer.depth, self.scene.lens_distance)
        found = []
        for track in self.tracks:
            if track.track.driver == "scroll" and track.track.channel in ("x", "y"):
                if track.track.target == "camera" and rate:
                    found.append((track, track.track.channel, -zoom * rate))
                elif track.track.target == layer.id:
                    found.append((track, track.track.channel, zoom))
        return found

    # --- style -------------------------------------------------------------------------------------------------------

    def css(self) -> str:
        """The whole style sheet."""
        parts = [self._frame(), *(self._layer(index, layer) for index, layer in enumerate(self.layers))]
        return (
            "\n".join([self._properties(), *parts, *([PAUSE] if self.scene.drivers.time else []), self._calm()]) + "\n"
        )

    def _properties(self) -> str:
        names = ["--scroll", "--u", "--v", "--time", *(f"--{name}" for name in CAMERA_CHANNELS)]
        names += [track.var for track in self.tracks]
        one = 'syntax:"<number>";inherits:true;initial-value:'
        return "\n".join(f"@property {self._name(name)}{{{one}{1 if name == '--zoom' else 0}}}" for name in names)

    def _name(self, var: str) -> str:
        return f"--{self.prefix}-{var[2:]}"

    def _var(self, var: str) -> str:
        return f"var({self._name(var)})"

    def _frame(self) -> str:
        view, p = self.scene.view, self.prefix
        w, h = view.width, view.height
        scroll = self.scene.drivers.scroll
        length = scroll.length if scroll else 0
        across, down = f"tan(atan2(100cqw,{w}px))", f"tan(atan2(100cqh,{h}px))"
        animated = [t for t in self.tracks if not self._all_slide(t)]
        rest = ";".join(f"{self._name(t.var)}:{number(t.at_rest())}" for t in self.tracks)
        camera = ";".join(f"{self._name(f'--{c}')}:{self._camera_sum(c)}" for c in CAMERA_CHANNELS)
        lines = [
            f".{p}-run{{position:relative;height:calc(100vh + {number(length)}px);view-timeline:--{p} block}}",
            f".{p}-host{{position:sticky;top:0;height:100vh;overflow:hidden;container-type:size;"
            f"background:{view.background}}}",
            f".{p}-stage{{position:absolute;left:50%;top:50%;width:{w}px;height:{h}px;margin:{-h / 2}px 0 0 {-w / 2}px;"
            f"overflow:hidden;background:{view.background};scale:max({across},{down});{rest}}}",
            f".{p}-host[data-fit=contain] .{p}-stage{{scale:min({across},{down})}}",
            f".{p}-camera{{position:absolute;inset:0;{camera}}}",
            f".{p}-slide{{position:absolute;inset:0;pointer-events:none}}",
            f".{p}-layer{{position:absolute;left:50%;top:50%}}",
            f".{p}-layer img,.{p}-layer i{{position:absolute;max-width:none;display:block;user-select:none}}",
        ]
        if animated:
            lines.append(self._animated(f".{p}-stage", [(t, f"{p}{t.var[2:]}") for t in animated]))
            lines += [f"@keyframes {p}{t.var[2:]}{{{t.frames(self._name(t.var), '{}')}}}" for t in animated]
        return "\n".join(lines)

    def _all_slide(self, track: _Track) -> bool:
        """True when every sheet takes this track as keyframes of its own, so that nothing reads its number."""
        targets = (
            self.layers
            if track.track.target == "camera"
            else [layer for layer in self.layers if layer.id == track.track.target]
        )
        return all(
            any(slide[0] is track for slide in self.slides(layer)) or self._unmoved(layer, track) for layer in targets
        )

    def _unmoved(self, layer: Layer, track: _Track) -> bool:
        """An infinitely far sheet takes no notice of where the camera is."""
        place = track.track.target == "camera" and track.track.channel in ("x", "y", "z")
        return place and layer.depth == "infinite" and self.camera_slides

    def _animated(self, selector: str, runs: list[tuple[_Track, str]]) -> str:
        """Animations of one element, first as the drivers run them, then as --scroll and --time hold them."""
        time = self.scene.drivers.time
        count = "infinite" if time and time.loop else "1"
        names, timelines, ranges, delays = [], [], [], []
        for track, name in runs:
            over_scroll = track.track.driver == "scroll"
            duration = "1s" if over_scroll else f"{number(track.end)}s"
            names.append(f"{name} {duration} linear {'1' if over_scroll else count} both")
            timelines.append(f"--{self.prefix}" if over_scroll else "auto")
            ranges.append("contain 0% contain 100%" if over_scroll else "normal")
            delays.append(f"calc({self._var('--scroll' if over_scroll else '--time')}*-1s)")
        held = f".{self.prefix}-run[data-held]"
        still = f".{self.prefix}-run[data-still]"
        return (
            f"{selector}{{animation:{','.join(names)};animation-timeline:{','.join(timelines)};"
            f"animation-range:{','.join(ranges)}}}\n"
            f"{held} {selector}{{animation-timeline:{','.join('auto' for _ in runs)};"
            f"animation-range:{','.join('normal' for _ in runs)};animation-play-state:paused;"
            f"animation-delay:{','.join(delays)}}}\n"
            f"{still} {selector}{{animation-play-state:"
            f"{','.join('running' if t.track.driver == 'scroll' else 'paused' for t, _ in runs)}}}"
        )

    def _camera_sum(self, channel: str) -> str:
        base = resting_camera(self.scene)[channel]
        joint = "*" if channel in MULTIPLIED_CHANNELS else " + "
        terms = [number(base), *(self._var(track.var) for track in self._of("camera", channel))]
        pointer = self.scene.drivers.pointer
        if pointer and channel in ("x", "y"):
            reach = pointer.reach_x if channel == "x" else pointer.reach_y
            terms.append(f"{self._var('--u' if channel == 'x' else '--v')}*{number(reach)}")
        return number(base) if len(terms) == 1 else f"calc({joint.join(terms)})"

    def _layer(self, index: int, layer: Layer) -> str:
        p, art = self.prefix, layer.art
        selector = f".{p}-l{index}"
        slid = self.slides(layer)
        style = [
            f"width:{art.width}px;height:{art.height}px;margin:{number(-art.height / 2)}px 0 0 {number(-art.width / 2)}px",
            f"transform:{self.transform(layer, {slide[0].index for slide in slid})}",
        ]
        opacity = self._layer_sum(layer, "opacity", layer.opacity)
        if opacity != "1":
            style.append(f"opacity:{opacity}")
        if self._of(layer.id, "blur"):
            style.append(f"filter:blur(calc({self._layer_sum(layer, 'blur', 0)}*{number(1 / layer.framing.scale)}px))")
        lines = [f"{selector}{{{';'.join(style)}}}"]
        lines += self._slide_rules(index, slid)
        if layer.blend != "normal":
            outer = f".{p}-s{index}-{slid[0][0].index}" if slid else selector
            lines.append(f"{outer}{{mix-blend-mode:{layer.blend}}}")
        lines.append(self._content_rule(selector, layer))
        return "\n".join(lines)

    def _slide_rules(self, index: int, slid: list[tuple[_Track, str, float]]) -> list[str]:
        lines = []
        for track, axis, factor in slid:
            name = f"{self.prefix}-s{index}-{track.index}"
            value = "{}px 0px" if axis == "x" else "0px {}px"
            lines.append(f"@keyframes {name}{{{track.frames('translate', value, factor)}}}")
            lines.append(f".{name}{{translate:{value.format(number(track.at_rest() * factor))}}}")
            lines.append(self._animated(f".{name}", [(track, name)]))
        return lines

    def _layer_sum(self, layer: Layer, channel: str, base: float, without: frozenset[int] = frozenset()) -> str:
        joint = "*" if channel in MULTIPLIED_CHANNELS else " + "
        terms = [number(base)]
        terms += [self._var(t.var) for t in self._of(layer.id, channel) if t.index not in without]
        return terms[0] if len(terms) == 1 else f"calc({joint.join(terms)})"

    def transform(self, layer: Layer, slid: set[int] | frozenset[int] = frozenset()) -> str:
        """The transform chain of a layer, in the order of the placement formula, without parts that never move."""
        without = frozenset(slid)
        framing, tilt = layer.framing, layer.tilt
        distance = number(self.scene.lens_distance)
        own = {channel: self._layer_sum(layer, channel, base, without) for channel, base in (
            ("x", framing.x), ("y", framing.y), ("scale", framing.scale), ("rotation", framing.rotation),
            ("lean", tilt.lean), ("turn", tilt.turn),
        )}  # fmt: skip
        zoom = self._var("--zoom")
        chain = [] if self._fixed("zoom", 1) else [f"scale({zoom})"]
        flat = self.camera_slides and own["lean"] == own["turn"] == "0" and not self._of(layer.id, "depth")
        if not flat:
            chain.append(f"perspective({distance}px)")
        if not all(self._fixed(name, 0) for name in ("roll", "pitch", "yaw")):
            roll, pitch, yaw = (self._var(f"--{name}") for name in ("roll", "pitch", "yaw"))
            chain += [
                f"translateZ({distance}px)", f"rotateZ(calc({roll}*-1deg))", f"rotateX(calc({pitch}*1deg))",
                f"rotateY(calc({yaw}*1deg))", f"translateZ(-{distance}px)",
            ]  # fmt: skip
        chain += self._shift(layer, without, flat)
        chain.append(f"translate(calc({own['x']}*1px),calc({own['y']}*1px))")
        for name, axis, sign in (("turn", "Y", "-1"), ("lean", "X", "1"), ("rotation", "Z", "1")):
            if own[name] != "0":
                chain.append(f"rotate{axis}(calc({own[name]}*{sign}deg))")
        if own["scale"] != "1":
            chain.append(f"scale({own['scale']})")
        return " ".join(chain)

    def _fixed(self, channel: str, value: float) -> bool:
        return not self._of("camera", channel) and resting_camera(self.scene)[channel] == value

    def _shift(self, layer: Layer, slid: frozenset[int], flat: bool) -> list[str]:
        """translate by −k·c; for a sheet that slides, only the part that its own keyframes do not hold."""
        depth_tracks = self._of(layer.id, "depth")
        if layer.depth == "infinite":
            return []
        distance = self.scene.lens_distance
        rate = number(rate_of(layer.depth, distance))
        if depth_tracks:
            reach = " + ".join([number(distance + layer.depth), *(self._var(t.var) for t in depth_tracks)])
            rate = f"{number(distance)}/({reach})"
        axes = []
        for channel in ("x", "y"):
            whole = self._camera_sum(channel)
            for index in slid:  # these tracks run on the sheet's own frames
                whole = whole.replace(f" + {self._var(f'--k{index}')}", "")
            axes.append(f"calc({whole}*{rate}*-1px)" if slid else f"calc({self._var(f'--{channel}')}*{rate}*-1px)")
        if flat:
            return [f"translate({axes[0]},{axes[1]})"]
        return [f"translate3d({axes[0]},{axes[1]},calc({self._var('--z')}*{rate}*1px))"]

    def _content_rule(self, selector: str, layer: Layer) -> str:
        picture = self.pictures[layer.id]
        left, top, width, height = picture.part
        if not _repeats(layer):
            return f"{selector} img{{left:{left}px;top:{top}px;width:{width}px;height:{height}px}}"
        x0, x1 = self._tiles(layer, 0)
        y0, y1 = self._tiles(layer, 1)
        unit_w, unit_h = unit_size(layer)
        images = ",".join(f'{srcset} type("{kind}")' for kind, srcset in picture.sources) or f'url("{picture.src}")'
        image = f"image-set({images})" if picture.sources else images
        return (
            f"{selector} i{{left:{x0 * unit_w}px;top:{y0 * unit_h}px;width:{(x1 - x0) * unit_w}px;"
            f"height:{(y1 - y0) * unit_h}px;background:{image} 0 0/{unit_w}px {unit_h}px}}"
        )

    def _tiles(self, layer: Layer, axis: int) -> tuple[int, int]:
        """First and last copy of the repeating unit that the view can ever need."""
        repeat = (layer.repeat.x, layer.repeat.y)[axis]
        if repeat == "none" or self.needs is None:
            return 0, 1
        box = self.needs.of(layer).box
        size = (layer.art.width, layer.art.height)[axis]
        unit = unit_size(layer)[axis]
        low, high = (np.nan_to_num(box[side] + size / 2, posinf=1e12, neginf=-1e12) / unit for side in (axis, axis + 2))
        first = int(max(math.floor(low), -MOST_TILES))
        return min(first, 0), max(1, int(min(math.ceil(high), MOST_TILES)))

    def _calm(self) -> str:
        """Who asks for less motion gets the resting picture, without the way to scroll through it."""
        p = self.prefix
        run = f".{p}-run:not([data-held=edit])"
        return (
            f"@media (prefers-reduced-motion:reduce){{{run}{{height:100vh}}"
            f"{run} .{p}-stage,{run} .{p}-slide{{animation:none!important}}}}"
        )

    # --- markup ------------------------------------------------------------------------------------------------------

    def markup(self, fit: str = "cover", held: str = "") -> str:
        """The scene's elements, first drawn first. `held` marks a scene whose drivers are set from outside."""
        p, drivers = self.prefix, self.scene.drivers
        settle = drivers.pointer.settle if drivers.pointer else 0
        data = [f'data-scene="{p}"', f'data-title="{_text(self.scene.title)}"']
        if drivers.pointer:
            data.append(f'data-settle="{number(settle)}"')
        if drivers.time:
            data.append(f'data-time="{number(drivers.time.duration)}"')
        if held:
            data.append(f'data-held="{held}"')
        layers = "".join(self._element(index, layer) for index, layer in enumerate(self.layers))
        return (
            f'<div class="{p}-run" {" ".join(data)}><div class="{p}-host" data-fit="{fit}" role="img" '
            f'aria-label="{_text(self.scene.title)}"><div class="{p}-stage"><div class="{p}-camera">{layers}'
            f"</div></div></div></div>"
        )

    def _element(self, index: int, layer: Layer) -> str:
        p, picture = self.prefix, self.pictures[layer.id]
        if _repeats(layer):
            inner = "<i></i>"
        else:
            sources = "".join(f'<source type="{kind}" srcset="{srcset}">' for kind, srcset in picture.sources)
            srcset = f' srcset="{picture.srcset}"' if picture.srcset else ""
            inner = f'<img src="{picture.src}"{srcset} alt="" draggable="false">'
            inner = f"<picture>{sources}{inner}</picture>" if sources else inner
        element = f'<div class="{p}-layer {p}-l{index}" data-layer="{_text(layer.id)}">{inner}</div>'
        for track, _, _ in reversed(self.slides(layer)):
            element = f'<div class="{p}-slide {p}-s{index}-{track.index}">{element}</div>'
        return element


def _repeats(layer: Layer) -> bool:
    return layer.repeat.x != "none" or layer.repeat.y != "none"


def unit_size(layer: Layer) -> tuple[int, int]:
    """Size in art pixels of what a repeating layer repeats: a mirror's unit holds the art and its reflection."""
    return (
        layer.art.width * (2 if layer.repeat.x == "mirror" else 1),
        layer.art.height * (2 if layer.repeat.y == "mirror" else 1),
    )


def _text(value: str) -> str:
    return value.replace("&", "&amp;").replace('"', "&quot;").replace("<", "&lt;").replace(">", "&gt;")
