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
from collections.abc import Mapping, Sequence
from html import escape

import numpy as np

from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import Needs
from clinamen.core.cached import cached_property
from clinamen.core.document import (
    CAMERA_CHANNELS,
    LENS_CHANNELS,
    Anchor,
    Frame,
    Frames,
    Layer,
    Scene,
    ScrollDriver,
    bearers_of,
    channels_of,
    described,
    frost_of,
    own_softness,
    resting_depth,
    seen_layers,
)
from clinamen.core.exports.web.actors import Playing, keyframes, moved_to, playing
from clinamen.core.exports.web.curves import Run, Slide
from clinamen.core.exports.web.finishes import frost_rules, worn_rules
from clinamen.core.exports.web.shown import Shown, unit_size
from clinamen.core.exports.web.window import focused, veil
from clinamen.core.finish import Worn
from clinamen.core.made.kinds import Words
from clinamen.core.motion.cells import resting_cell
from clinamen.core.motion.mixes import Carriage, Mix, Motion
from clinamen.core.motion.terms import CurveTerm, Term
from clinamen.core.optics import NEAREST_FOCUS, rate_of
from clinamen.core.parts import said
from clinamen.core.quantities import plain
from clinamen.core.stage.formula import lens_of, resting_anchor, shape_of, target_of

PAUSE = """.clinamen-pause{position:absolute;right:16px;bottom:16px;bottom:calc(16px + max(0px,100vh - 100svh));
padding:6px 12px;border:1px solid #fff;border-radius:4px;
background:#000a;color:#fff;font:14px system-ui,sans-serif;cursor:pointer}
.clinamen-pause:focus-visible{outline:2px solid #fff;outline-offset:2px}"""
HEIGHT = "var(--clinamen-height,100vh)"  # of what the scene plays in: a page may say another one
WIDTH = "var(--clinamen-width,100vw)"  # the same, of a scene that scrolls across the page
TILT_REACH = 20.0  # degrees from where a device was held at first: as far as the pointer reaches
MOST_TILES = 24  # copies of a repeating sheet to each side
KEPT = 8000  # layers' styles, each for as long as nothing changes that it depends on

_styles: Bounded[str] = Bounded(KEPT, lambda style: 1)


def prefix_of(scene: Scene) -> str:
    """A short name for the scene's classes, so that two scenes share a page."""
    text = json.dumps([scene.title, [layer.id for layer in scene.layers]])
    return "c" + hashlib.sha256(text.encode()).hexdigest()[:6]


class Stylesheet:
    """The style sheet and markup of a scene. `held`: the editor's form, always driven by --scroll and --time. `focus`: the place
    of the view, as shares across and down, that stays in sight where the window cuts it; `poster`: a small picture of the
    scene at rest, seen until the art is there; `worn`: finishes that are shown by filters, of art that is not baked."""

    def __init__(
        self,
        scene: Scene,
        pictures: dict[str, Shown],
        prefix: str = "",
        focus: tuple[float, float] = (0.5, 0.5),
        poster: str = "",
        worn: Mapping[str, Worn] | None = None,
    ) -> None:
        self.scene, self.pictures, self.focus, self.poster = scene, pictures, focus, poster
        self.worn = worn or {}
        self.prefix = prefix or prefix_of(scene)
        self.motion = Motion(scene)
        self.layers = seen_layers(scene)
        self.lens = lens_of(scene)
        focused = scene.lens.aperture is not None and any(layer.takes.focus for layer in self.layers)
        self.camera_channels = [c for c in CAMERA_CHANNELS if focused or c not in LENS_CHANNELS]
        # what moves nothing that is seen has no animation
        targets = dict.fromkeys(["camera", *(t for layer in self.layers for t in sorted(self.motion.movers(layer)))])
        terms = {id(term.track): term for target in targets for term in self._seen(target)}
        self.runs = [Run(i, terms[id(track)]) for i, track in enumerate(scene.tracks) if id(track) in terms]
        self.run_of = {id(run.term): run for run in self.runs}
        self.needs = Needs(scene, self.motion) if any(layer.repeats for layer in self.layers) else None

    def _seen(self, target: str) -> list[CurveTerm]:
        """The curves of a target that a page shows."""
        curves = self.motion.curves(target)
        return [term for term in curves if target != "camera" or term.track.channel in self.camera_channels]

    # --- names of numbers, as terms ask for them -----------------------------------------------------------------------

    def driver(self, axis: str) -> str:
        return self._var(f"--{axis}")

    def track(self, term: Term) -> str:
        return self._var(self.run_of[id(term)].var)

    def _name(self, var: str) -> str:
        return f"--{self.prefix}-{var[2:]}"

    def _var(self, var: str) -> str:
        return f"var({self._name(var)})"

    # --- what moves how ----------------------------------------------------------------------------------------------

    def _mix(self, layer: Layer, channel: str) -> Mix:
        return self.motion.mixes[layer.id][channel]

    def _flat(self, layer: Layer) -> bool:
        """True where a plain shift on the view is all that moves the sheet's place."""
        frontal = all(self._mix(layer, angle).stays(0.0) for angle in ("lean", "turn"))
        depths = self._depths(layer)
        return frontal and self.motion.camera_slides and not any(depth.moves for depth in depths)

    def _rate(self, layer: Layer) -> float:
        """Its rate at rest, with what its carriers add to its depth."""
        return rate_of(resting_depth(self.scene, layer), self.scene.lens_distance)

    def _depths(self, layer: Layer) -> list[Mix]:
        """Its own depth and what its carriers add to it."""
        return [self._mix(layer, "depth"), *(by.mixes["depth"] for by in self.motion.carriages(layer))]

    def _rate_css(self, layer: Layer) -> str:
        """Its rate as an expression."""
        depths = self._depths(layer)
        if layer.depth == "infinite" or not any(depth.moves for depth in depths):
            return plain(self._rate(layer))
        distance = plain(self.scene.lens_distance)
        return f"{distance}/({' + '.join([distance, *(depth.css(self) for depth in depths if not depth.stays(0))])})"

    def slides(self, layer: Layer) -> list[Slide]:
        """The scroll curves that a sheet can run as keyframes of its own."""
        if not self._flat(layer):
            return []
        zoom, rate = self.scene.camera.zoom, self._rate(layer)
        carried = bool(self.motion.carriages(layer))  # its own track is then turned and grown with it
        found = []
        for run in self.runs:
            track = run.term.track
            if run.over_scroll and track.channel in ("x", "y"):
                if track.target == "camera" and rate:
                    found.append(Slide(run, track.channel, -zoom * rate))
                elif track.target == layer.id and not carried:
                    found.append(Slide(run, track.channel, zoom))
        return found

    # --- style -------------------------------------------------------------------------------------------------------

    def css(self) -> str:
        """The whole style sheet."""
        return "\n".join(self.parts().values()) + "\n"

    def parts(self) -> dict[str, str]:
        """The style sheet in parts by name: "head", one for each layer by its id, "tail"; in this order they are it."""
        layers = {layer.id: self._layer_kept(index, layer) for index, layer in enumerate(self.layers)}
        tail = [*([PAUSE] if self.scene.drivers.time or self.scene.drivers.pointer else []), self._calm()]
        return {"head": f"{self._properties()}\n{self._frame()}", **layers, "tail": "\n".join(tail)}

    def _properties(self) -> str:
        table = {name: row for name, row in channels_of("camera").items() if name in self.camera_channels}
        initial = {"--scroll": 0.0, "--u": 0.0, "--v": 0.0, "--time": 0.0}
        initial |= {f"--{name}": row.rest for name, row in table.items()} | {run.var: 0.0 for run in self.runs}
        one = 'syntax:"<number>";inherits:true;initial-value:'
        angle = 'syntax:"<angle>";inherits:true;initial-value:45deg'
        numbers = [f"@property {self._name(name)}{{{one}{plain(value)}}}" for name, value in initial.items()]
        return "\n".join([*numbers, *(f"@property {self._name(name)}{{{angle}}}" for name in ("--across", "--down"))])

    def _frame(self) -> str:
        view, p = self.scene.view, self.prefix
        w, h = view.width, view.height
        across, down = f"tan({self._var('--across')})", f"tan({self._var('--down')})"
        animated = [run for run in self.runs if not self._all_slide(run)]
        rest = ";".join(f"{self._name(run.var)}:{plain(run.term.at_rest())}" for run in self.runs)
        camera = ";".join(f"{self._name(f'--{c}')}:{self._camera_value(c)}" for c in self.camera_channels)
        lines = [
            *self._section(),
            f".{p}-stage{{position:absolute;left:50%;top:50%;width:{w}px;height:{h}px;margin:{-h / 2}px 0 0 {-w / 2}px;"
            f"overflow:hidden;background:{view.background};{self._window_angles()};"
            f"--{p}-fit:max({across},{down});scale:var(--{p}-fit);{rest}}}",
            f".{p}-host[data-fit=contain] .{p}-stage{{--{p}-fit:min({across},{down})}}",
            *focused(p, view, self.focus),
            *(veil(p, self.focus) if self.poster else []),
            f".{p}-camera{{position:absolute;inset:0;{camera}}}",
            *self._bars(),
            f".{p}-slide,.{p}-soft{{position:absolute;inset:0;pointer-events:none}}",
            f".{p}-layer{{position:absolute;left:50%;top:50%}}",
            f".{p}-layer img,.{p}-layer i{{position:absolute;max-width:none;display:block;user-select:none}}",
        ]
        if animated:
            lines.append(self._animated(f".{p}-stage", [(run, f"{p}{run.var[2:]}") for run in animated]))
            lines += [f"@keyframes {p}{run.var[2:]}{{{run.frames(self._name(run.var), '{}')}}}" for run in animated]
        return "\n".join(lines)

    def _window_angles(self) -> str:
        """Two angles whose tangents are the window's size as shares of the view's: atan2() is how CSS divides lengths.

        The angles are registered, so a browser computes them first: WebKit takes degrees for radians in a tan() that holds
        an atan2() of container units itself.
        """
        view = self.scene.view
        return f"{self._name('--across')}:atan2(100cqw,{view.width}px);{self._name('--down')}:atan2(100cqh,{view.height}px)"

    def _bars(self) -> list[str]:
        """The frame: the scene is cut to what is open, before its colour."""
        frame, view, p = self.scene.frame, self.scene.view, self.prefix
        if frame == Frame():
            return []
        left, top, wide, high = frame.opening(view.width, view.height)
        if frame.shape == "ellipse":
            shape = f"ellipse({plain(wide / 2)}px {plain(high / 2)}px at center)"
        else:
            shape = f"inset({plain(top)}px {plain(left)}px round {plain(frame.corners)}px)"
        return [
            f".{p}-stage{{background:{frame.colour}}}",
            f".{p}-camera{{background:{view.background};clip-path:{shape}}}",
        ]

    def _section(self) -> list[str]:
        """What the scene takes of the page: pinned it stays in the window while the page goes on for as long as it is held."""
        p, scroll = self.prefix, self.scene.drivers.scroll or ScrollDriver(length=1, pinned=False)
        across = scroll.axis == "x"
        size = f"width:calc({WIDTH} + {plain(scroll.held)}px);height:{HEIGHT}"
        size = size if across else f"height:calc({HEIGHT} + {plain(scroll.held)}px)"
        stays = f"position:sticky;{'left' if across else 'top'}:0" if scroll.pinned else "position:relative"
        host = f"{stays};{f'width:{WIDTH};' if across else ''}height:{HEIGHT}"
        return [
            f".{p}-run{{position:relative;{size};view-timeline:--{p} {'x' if across else 'block'}}}",
            f".{p}-host{{{host};overflow:hidden;container-type:size;background:{self.scene.view.background}}}",
        ]

    def _range(self) -> str:
        """From where to where in the page the scroll runs: counted from where the scene's edge meets the window's."""
        scroll = self.scene.drivers.scroll or ScrollDriver()
        ends = (scroll.begin, scroll.begin + scroll.length)
        return " ".join(f"exit-crossing {plain(end)}px" for end in ends)

    def _camera_value(self, channel: str) -> str:
        return self.motion.mixes["camera"][channel].css(self)

    def _all_slide(self, run: Run) -> bool:
        """True when every sheet takes this curve as keyframes of its own, so that nothing reads its number."""
        target = run.term.track.target
        if any(target in self.motion.movers(layer) for layer in self.layers if layer.id != target):
            return False  # a carrier
        layers = self.layers if target == "camera" else [layer for layer in self.layers if layer.id == target]
        return all(
            any(slide.run is run for slide in self.slides(layer)) or self._unmoved(layer, run) for layer in layers
        )

    def _unmoved(self, layer: Layer, run: Run) -> bool:
        """An infinitely far sheet takes no notice of where the camera is."""
        place = run.term.track.target == "camera" and run.term.track.channel in ("x", "y", "z")
        return place and layer.depth == "infinite" and self.motion.camera_slides

    def _animated(self, selector: str, runs: Sequence[tuple[Run | Playing, str]], timing: str = "linear") -> str:
        """Animations of one element, first as the drivers run them, then as --scroll and --time hold them."""
        names, timelines, ranges, delays = [], [], [], []
        for run, name in runs:
            names.append(f"{name} {plain(run.seconds)}s {timing} {'infinite' if run.loops else '1'} both")
            timelines.append(f"--{self.prefix}" if run.over_scroll else "auto")
            ranges.append(self._range() if run.over_scroll else "normal")
            delays.append(f"calc({self._var('--scroll' if run.over_scroll else '--time')}*-1s)")
        held = f".{self.prefix}-run[data-held]"
        still = f".{self.prefix}-run:is([data-still],[data-unseen]):not([data-held])"
        # without scroll timelines a curve over the scroll would run by the clock: it stands until a script holds it
        scrolls = any(run.over_scroll for run, _ in runs)
        waits = ",".join("paused" if run.over_scroll else "running" for run, _ in runs)
        runs_by_scroll = f"@supports (animation-timeline:view()){{{selector}{{animation-play-state:running}}}}\n"
        return (
            f"{selector}{{animation:{','.join(names)};animation-timeline:{','.join(timelines)};"
            f"animation-range:{','.join(ranges)}{f';animation-play-state:{waits}' if scrolls else ''}}}\n"
            f"{runs_by_scroll if scrolls else ''}"
            f"{held} {selector}{{animation-timeline:{','.join('auto' for _ in runs)};"
            f"animation-range:{','.join('normal' for _ in runs)};animation-play-state:paused;"
            f"animation-delay:{','.join(delays)}}}\n"
            f"{still} {selector}{{animation-play-state:"
            f"{','.join('running' if run.over_scroll else 'paused' for run, _ in runs)}}}"
        )

    def _layer_kept(self, index: int, layer: Layer) -> str:
        """As `_layer`, for as long as nothing changes that it depends on: the scene but for other layers, and what carries it."""
        if frost_of(self.scene, layer) is not None:  # looks at what is behind it
            return self._layer(index, layer)
        bearers = [bearer.as_json for bearer in bearers_of(self.scene, layer)]
        own = layer.as_json, self.pictures.get(layer.id), repr(self.worn.get(layer.id))
        return _styles.get((self._shared, index, *own, *bearers), lambda: self._layer(index, layer))

    @cached_property
    def _shared(self) -> tuple[object, ...]:
        """What every layer's style depends on."""
        scene = self.scene
        rest = [getattr(scene, name) for name in Scene.model_fields if name not in ("layers", "title", "accepted")]
        return (
            said(rest),
            self.prefix,
            self.focus,
            self.poster,
            tuple(self.camera_channels),
            tuple(run.var for run in self.runs),
        )

    def _layer(self, index: int, layer: Layer) -> str:
        p, art = self.prefix, layer.art
        selector = f".{p}-l{index}"
        slid = self.slides(layer)
        style = [
            f"width:{art.width}px;height:{art.height}px;margin:{plain(-art.height / 2)}px 0 0 {plain(-art.width / 2)}px",
            f"transform:{self.transform(layer, slid)}{' translateZ(0)' if layer.id in self.worn else ''}",
        ]
        frost = frost_of(self.scene, layer)
        opacity = self._mix(layer, "opacity").css(self)
        faded = [by.mixes["opacity"].css(self) for by in self.motion.carriages(layer)]
        if others := [value for value in faded if value != "1"]:
            opacity = f"calc({'*'.join([opacity, *others])})"
        if opacity != "1" and frost is None:
            style.append(f"opacity:{opacity}")
        lines = [f"{selector}{{{';'.join(style)}}}"]
        if self._softens(layer):  # outside the transform, so that it counts in view pixels whatever the sheet's size
            lines.append(f".{p}-b{index}{{filter:blur(calc({self._softness(layer)}*1px))}}")
        lines += self._slide_rules(index, slid)
        if layer.blend != "normal":
            outer = f".{p}-b{index}" if self._softens(layer) else selector
            outer = f".{p}-s{index}-{slid[0].run.index}" if slid else outer
            mode = "plus-lighter" if layer.blend == "add" else layer.blend
            lines.append(f"{outer}{{mix-blend-mode:{mode}}}")
        lines.append(self._content_rule(selector, layer))
        lines += worn_rules(selector, layer, self.worn.get(layer.id), self.filter_name(layer))
        if frost is not None:
            lines += frost_rules(selector, layer, self.pictures[layer.id], frost, opacity)
        if layer.frames:
            lines.append(self._acting(index, layer.frames))
        return "\n".join(lines)

    def _softens(self, layer: Layer) -> bool:
        own = not self._mix(layer, "blur").stays(0.0) or own_softness(self.scene, layer) > 0
        return own or self._out_of_focus(layer)

    def _out_of_focus(self, layer: Layer) -> bool:
        """True where the lens may leave a sheet soft at some time."""
        if self.scene.lens.aperture is None or not layer.takes.focus:
            return False
        moved = any(depth.moves for depth in self._depths(layer))
        return moved or not self.motion.mixes["camera"]["focus"].stays(self._rate(layer))

    def _softness(self, layer: Layer) -> str:
        """Standard deviation in view pixels: of its own softness, of the disc that the lens makes (a quarter of it), of both."""
        own, look = self._mix(layer, "blur"), own_softness(self.scene, layer)
        parts = [] if own.stays(0.0) else [f"max(0,{own.css(self)})"]
        parts += [plain(look)] if look else []
        parts += [self._focused_softness(layer)] if self._out_of_focus(layer) else []
        return parts[0] if len(parts) == 1 else f"hypot({','.join(parts)})"

    def _focused_softness(self, layer: Layer) -> str:
        """A quarter of the disc that the lens makes."""
        distance, rate = plain(self.scene.lens_distance), self._rate_css(layer)
        focus, along = f"max(0,{self._var('--focus')})", f"{self._eye_z()}/{distance}"
        away = f"max({focus} - {rate},{rate} - {focus})"
        slope = plain(self.lens.slope / 4)
        behind = f"max({plain(NEAREST_FOCUS)},1 - {focus}*({along} + {plain(self.lens.near)}))"
        here = f"max({plain(NEAREST_FOCUS)},1 - {rate}*{along})"
        return f"({self._var('--zoom')}*{slope}/{self._var('--aperture')}*{away}/({behind}*{here}))"

    def _eye_z(self) -> str:
        """How far the camera stands before its zero position, an arc round its target worked in."""
        x, y, z = (self._var(f"--{axis}") for axis in "xyz")
        if not self._round("1"):
            return z
        at = [plain(value) for value in target_of(self.scene)]
        arc, crane = (f"{self._var(f'--{name}')}*1deg" for name in ("arc", "crane"))
        across, down, ahead = (f"({v} - {p})" for v, p in zip((x, y, z), at, strict=True))
        turned = f"cos({arc})*(sin({crane})*{down} + cos({crane})*{ahead})"
        return f"({at[2]} - sin({arc})*{across} + {turned})"

    def _slide_rules(self, index: int, slid: list[Slide]) -> list[str]:
        lines = []
        for slide in slid:
            name = f"{self.prefix}-s{index}-{slide.run.index}"
            value = "{}px 0px" if slide.axis == "x" else "0px {}px"
            lines.append(f"@keyframes {name}{{{slide.run.frames('translate', value, slide.factor)}}}")
            lines.append(f".{name}{{translate:{value.format(plain(slide.run.term.at_rest() * slide.factor))}}}")
            lines.append(self._animated(f".{name}", [(slide.run, name)]))
        return lines

    def transform(self, layer: Layer, slid: list[Slide] | None = None) -> str:
        """The transform chain of a layer, in the order of the placement formula, without parts that never move and
        without what its own keyframes slide."""
        without = [slide.run.term for slide in slid or ()]
        distance = plain(self.scene.lens_distance)
        own = {
            channel: self._mix(layer, channel).css(self, without)
            for channel in ("x", "y", "scale", "rotation", "lean", "turn")
        }
        camera = self.motion.mixes["camera"]
        zoom, flat = self._var("--zoom"), self._flat(layer)
        chain = [] if camera["zoom"].stays(1) else [f"scale({zoom})"]
        if not flat:
            chain.append(f"perspective({distance}px)")
        if not all(camera[name].stays(0) for name in ("roll", "pitch", "yaw", "arc", "crane")):
            roll, pitch, yaw = (self._var(f"--{name}") for name in ("roll", "pitch", "yaw"))
            chain += [
                f"translateZ({distance}px)", f"rotateZ(calc({roll}*-1deg))", f"rotateX(calc({pitch}*1deg))",
                f"rotateY(calc({yaw}*1deg))", *self._round("1"), f"translateZ(-{distance}px)",
            ]  # fmt: skip
        chain += self._shift(layer, without, flat)
        for by in reversed(self.motion.carriages(layer)):
            chain += self._carried(by)
        chain.append(f"translate(calc({own['x']}*1px),calc({own['y']}*1px))")
        chain += self._anchored(layer)
        for name, axis, sign in (("turn", "Y", "-1"), ("lean", "X", "1"), ("rotation", "Z", "1")):
            if own[name] != "0":
                chain.append(f"rotate{axis}(calc({own[name]}*{sign}deg))")
        if own["scale"] != "1":
            chain.append(f"scale({own['scale']})")
        across, stretch = shape_of(layer)
        if (across, stretch) != (0.0, 1.0):
            chain.append(f"matrix(1,0,{plain(across)},{plain(stretch)},0,0)")
        if layer.anchor != Anchor():
            chain.append(f"translate({plain(-layer.anchor.x)}px,{plain(-layer.anchor.y)}px)")
        return " ".join(chain)

    def _carried(self, by: Carriage) -> list[str]:
        """What a carrier does, about its point: moved, turned, grown."""
        value = {name: mix.css(self) for name, mix in by.mixes.items()}
        x, y = (plain(at) for at in by.at)
        if not by.turns_or_grows:
            still = by.mixes["x"].stays(0) and by.mixes["y"].stays(0)
            return [] if still else [f"translate(calc({value['x']}*1px),calc({value['y']}*1px))"]
        chain = [f"translate(calc(({x} + {value['x']})*1px),calc(({y} + {value['y']})*1px))"]
        if value["rotation"] != "0":
            chain.append(f"rotate(calc({value['rotation']}*1deg))")
        if value["scale"] != "1":
            chain.append(f"scale3d({','.join([value['scale']] * 3)})")
        return [*chain, f"translate({plain(-by.at[0])}px,{plain(-by.at[1])}px)"]

    def _anchored(self, layer: Layer) -> list[str]:
        """To where the anchor rests; what turns and grows then does so about it."""
        if layer.anchor == Anchor():
            return []
        x, y, z = (plain(value) for value in resting_anchor(layer))
        return [f"translate3d({x}px,{y}px,calc({z}*-1px))" if z != "0" else f"translate({x}px,{y}px)"]

    def _shift(self, layer: Layer, without: list[CurveTerm], flat: bool) -> list[str]:
        """translate by −k·c; for a sheet that slides, only the part that its own keyframes do not hold."""
        if layer.depth == "infinite":
            return []
        rate = self._rate_css(layer)
        if turned := self._round("1"):
            # round the target: −k·c is −k·P, then A times −k·(c − P), which is that shift between A and its inverse
            at = [plain(value) for value in target_of(self.scene)]
            from_it = [f"({self._var(f'--{channel}')} - {place})" for channel, place in zip("xyz", at, strict=True)]
            back = self._round("-1")[::-1]
            return [self._moved(at, rate), *back, self._moved(from_it, rate), *turned]
        axes = []
        for channel in ("x", "y"):
            mix = self.motion.mixes["camera"][channel]
            whole = mix.css(self, without) if without else self._var(f"--{channel}")
            axes.append(f"calc({whole}*{rate}*-1px)")
        if flat:
            return [f"translate({axes[0]},{axes[1]})"]
        return [f"translate3d({axes[0]},{axes[1]},calc({self._var('--z')}*{rate}*1px))"]

    def _round(self, sign: str) -> list[str]:
        """The turn of an arc: with "1" the inverse of A, which sheets are turned by; its parts with "-1", reversed, are A."""
        camera = self.motion.mixes["camera"]
        if camera["arc"].stays(0) and camera["crane"].stays(0):
            return []
        return [f"rotateX(calc({self._var('--crane')}*{sign}deg))", f"rotateY(calc({self._var('--arc')}*{sign}deg))"]

    def _moved(self, by: list[str], rate: str) -> str:
        """translate3d by −k times three expressions in scene axes."""
        x, y, z = by
        return f"translate3d(calc({x}*{rate}*-1px),calc({y}*{rate}*-1px),calc({z}*{rate}*1px))"

    def _content_rule(self, selector: str, layer: Layer) -> str:
        picture = self.pictures[layer.id]
        left, top, width, height = picture.part
        if layer.frames:
            inside = f"width:{width * layer.frames.columns}px;height:{height * layer.frames.rows}px"
            window = f"left:{left}px;top:{top}px;width:{width}px;height:{height}px"
            return f"{selector} b{{position:absolute;overflow:hidden;{window}}}{selector} img{{left:0;top:0;{inside}}}"
        if not layer.repeats:
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

    def filter_name(self, layer: Layer) -> str:
        """The id of the filter element that shows a layer's finish."""
        return f"{self.prefix}-f{self.layers.index(layer)}"

    def _acting(self, index: int, frames: Frames) -> str:
        """An actor's strip behind its window: at its first cell, or jumping from cell to cell."""
        name, drivers = f"{self.prefix}-a{index}", self.scene.drivers
        selector = f".{self.prefix}-l{index} img"
        lines = [f"{selector}{{translate:{moved_to(frames, resting_cell(frames, drivers))}}}"]
        if play := playing(frames, drivers):
            lines.append(f"@keyframes {name}{{{keyframes(frames, play)}}}")
            lines.append(self._animated(selector, [(play, name)], "step-end"))
        return "\n".join(lines)

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
        """Who asks for less motion, and who prints, gets the resting picture, without the way to scroll through it."""
        p = self.prefix
        run = f".{p}-run:not([data-held=edit])"
        scroll = self.scene.drivers.scroll
        size = f"width:{WIDTH}" if scroll and scroll.axis == "x" else f"height:{HEIGHT}"
        return (
            f"@media (prefers-reduced-motion:reduce),print{{{run}{{{size}}}"
            f"{run} .{p}-stage,{run} .{p}-slide,{run} .{p}-layer img{{animation:none!important}}}}"
        )

    # --- markup ------------------------------------------------------------------------------------------------------

    def markup(self, fit: str = "cover", held: str = "", tilt: bool = False, folder: str = "") -> str:
        """The scene's elements, first drawn first. `held` marks a scene whose drivers are set from outside, `tilt` one whose
        pointer a device's tilt may stand in for; `folder` is where its art lies, seen from the page."""
        p, drivers = self.prefix, self.scene.drivers
        data = [f'data-scene="{p}"', f'data-title="{escape(self.scene.title)}"']
        if scroll := drivers.scroll:
            data.append(f'data-begin="{plain(scroll.begin)}" data-length="{plain(scroll.length)}"')
            data += ["data-across"] if scroll.axis == "x" else []
        if pointer := drivers.pointer:
            data.append(f'data-settle="{plain(pointer.settle)}"')
            data += [f'data-dead="{plain(pointer.dead_zone)}"'] if pointer.dead_zone else []
            data += [] if pointer.returns else ["data-stays"]
            data += [f'data-tilt="{plain(TILT_REACH)}"'] if tilt else []
        if drivers.time:
            data.append(f'data-time="{plain(drivers.time.duration)}"')
            data += ["data-waits"] if drivers.time.start == "seen" else []
        if held:
            data.append(f'data-held="{held}"')
        # what is one picture hides what is in it from readers; words are to be read
        role = "group" if any(isinstance(x.art.made, Words) for x in self.layers) else "img"
        layers = "".join(self._element(index, layer, folder) for index, layer in enumerate(self.layers))
        veil = (
            f'<img class="{p}-poster" src="{folder}{self.poster}" alt="" fetchpriority="high">' if self.poster else ""
        )
        return (
            f'<div class="{p}-run" {" ".join(data)}><div class="{p}-host" data-fit="{fit}">'
            f'<div class="{p}-stage" role="{role}" aria-label="{escape(described(self.scene))}"><div class="{p}-camera">{layers}'
            f"</div></div>{veil}</div></div>"
        )

    def _element(self, index: int, layer: Layer, folder: str) -> str:
        p, picture = self.prefix, self.pictures[layer.id].within(folder)
        if layer.repeats:
            inner = "<i></i>"
        else:
            sizes = f' sizes="{picture.sizes}"' if picture.sizes else ""
            sources = "".join(f'<source type="{kind}" srcset="{srcset}"{sizes}>' for kind, srcset in picture.sources)
            how = f' fetchpriority="{picture.priority}" decoding="async"' if picture.priority else ""
            inner = f'<img src="{picture.src}" alt="" draggable="false"{how}>'
            inner = f"<picture>{sources}{inner}</picture>" if sources else inner
            inner = f"<b>{inner}</b>" if layer.frames else inner
        inner = f"<u></u>{inner}" if frost_of(self.scene, layer) else inner
        words = layer.art.made.text if isinstance(layer.art.made, Words) else ""
        read = f' role="img" aria-label="{escape(words)}"' if words else ""
        element = f'<div class="{p}-layer {p}-l{index}" data-layer="{escape(layer.id)}"{read}>{inner}</div>'
        if self._softens(layer):
            element = f'<div class="{p}-soft {p}-b{index}">{element}</div>'
        for slide in reversed(self.slides(layer)):
            element = f'<div class="{p}-slide {p}-s{index}-{slide.run.index}">{element}</div>'
        return element
