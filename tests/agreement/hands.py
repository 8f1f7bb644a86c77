"""The hands a scene is given to: the exported page in Chromium, the kit's stand-in player, scene.glb in three.js."""

import base64
import io
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from clinamen.core.exports.engine import kit as enginekit
from clinamen.core.exports.web import page as webpage
from clinamen.core.motion.cells import seen_time
from clinamen.core.motion.states import State
from clinamen.standins.kit_reader import Kit
from tests.agreement.cases import HEIGHT, WIDTH, Case
from tests.conftest import ROOT, shelf_of
from tests.outside.test_css import held
from tests.seen import quads, shot

MODULES = ROOT / "tests/node/node_modules/three"
THREE = """<!doctype html><link rel="icon" href="data:,"><style>body{margin:0}</style>
<script type="importmap">{"imports":{"three":"./three.module.js"}}</script>
<script type="module">
import * as THREE from 'three';
import { GLTFLoader } from './GLTFLoader.js';
const renderer = new THREE.WebGLRenderer({preserveDrawingBuffer: true, antialias: false});
renderer.setSize(WIDTH, HEIGHT); document.body.append(renderer.domElement);
window.load = async (file, background) => {
  window.gltf = await new GLTFLoader().loadAsync(file);
  gltf.scene.background = new THREE.Color(background);
  window.mixer = new THREE.AnimationMixer(gltf.scene);
};
window.draw = (name, seconds) => {
  mixer.stopAllAction();
  const clip = gltf.animations.find((each) => each.name === name);
  if (clip) { const action = mixer.clipAction(clip); action.setLoop(THREE.LoopOnce); action.clampWhenFinished = true; action.play(); mixer.setTime(seconds); }
  renderer.render(gltf.scene, gltf.cameras[0]);
};
window.ready = true;
</script>""".replace("WIDTH", str(WIDTH)).replace("HEIGHT", str(HEIGHT))


def write(folder: Path, files: dict[str, bytes]) -> None:
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)


class PageHand:
    """The exported page, its drivers held where a state says."""

    def __init__(self, page: Any, folder: Path) -> None:
        self.page, self.folder = page, folder

    def take(self, case: Case) -> None:
        files = webpage.build(case.made, shelf_of(case.art, case.made))
        # a picture is drawn with the frame that it is there in, not some frames later
        files["index.html"] = files["index.html"].replace(b'decoding="async"', b'decoding="sync"')
        write(self.folder, files)
        self.page.goto((self.folder / "index.html").as_uri())
        self.page.wait_for_selector("[data-loaded]")
        self.page.add_style_tag(
            content=".clinamen-pause{display:none}[class$=poster]{display:none}"
        )  # it fades for a while

    def at(self, state: State) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        held(self.page, state)  # and drawn
        return shot(self.page), quads(self.page)


def asked(state: State) -> dict[str, float]:
    """A state as the kit's readers take it."""
    return {"scroll": state.scroll, "u": state.pointer[0], "v": state.pointer[1], "time": state.time}


def ends(entry: dict[str, Any], matrix: np.ndarray) -> np.ndarray:
    """Where the corners [4, 2] of a layer's art stand in the view."""
    half = np.array([entry["size"]["width"], entry["size"]["height"]]) / 2
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
    seen = np.column_stack([corners, np.ones(4)]) @ matrix.T
    return seen[:, :2] / seen[:, 2:]


class KitHand:
    """The kit in the stand-in player."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def take(self, case: Case) -> bytes:
        """Returns scene.glb, which comes with the kit."""
        files = enginekit.build(case.made, shelf_of(case.art), enginekit.KitOptions(vectors=False))
        write(self.folder, files)
        self.kit = Kit(self.folder)
        return files["scene.glb"]

    def at(self, state: State) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        told = asked(state)
        layers = self.kit.data["layers"]
        return self.kit.draw(told), {entry["id"]: ends(entry, self.kit.matrix(entry, told)[0]) for entry in layers}


CANVAS = """<!doctype html><link rel="icon" href="data:,"><style>body{margin:0}canvas{display:block}</style><canvas></canvas>
<script type="module">
import {openKit} from './kit_canvas.js';
const context = document.querySelector('canvas').getContext('2d');
window.load = async (folder, scale) => {
  window.kit = await openKit(folder);
  context.canvas.width = Math.round(kit.data.view.width * scale);
  context.canvas.height = Math.round(kit.data.view.height * scale);
};
window.draw = (state, scale) => kit.draw(context, state, scale);
window.placed = (state) => kit.data.layers.map((layer) => ({id: layer.id, ...kit.placed(layer, state)}));
window.ready = true;
</script>"""


class CanvasHand:
    """The kit in the reader in plain JavaScript, on a canvas."""

    def __init__(self, page: Any, folder: Path, address: str) -> None:
        self.page, self.address = page, address
        (folder / "index.html").write_text(CANVAS)
        for name in ("kit_canvas.js", "kit_matrices.js"):
            shutil.copy(ROOT / "clinamen/standins" / name, folder / name)
        page.goto(address + "index.html")
        page.wait_for_function("window.ready")

    def take(self, folder: str = "", scale: float = 1.0) -> None:
        """Open the kit in a folder below the page's."""
        self.scale = scale
        self.page.evaluate("([folder, scale]) => load(folder, scale)", [folder, scale])

    def placed(self, state: dict[str, float]) -> dict[str, Any]:
        """Matrix, opacity and softness by layer."""
        return {entry["id"]: entry for entry in self.page.evaluate("(state) => placed(state)", state)}

    def draw(self, state: dict[str, float]) -> np.ndarray:
        drawn = "([state, scale]) => { draw(state, scale); return document.querySelector('canvas').toDataURL(); }"
        picture = self.page.evaluate(drawn, [state, self.scale]).partition(",")[2]
        return np.asarray(Image.open(io.BytesIO(base64.b64decode(picture))).convert("RGB"))

    def at(self, state: State, layers: Any) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        told = asked(state)
        placed = self.placed(told)
        return self.draw(told), {entry["id"]: ends(entry, np.array(placed[entry["id"]]["matrix"])) for entry in layers}


class GltfHand:
    """scene.glb in three.js."""

    def __init__(self, page: Any, folder: Path, address: str) -> None:
        self.page, self.folder = page, folder
        (folder / "index.html").write_text(THREE)
        for name in ("three.module.js", "three.core.js"):
            shutil.copy(MODULES / "build" / name, folder / name)
        loader = (MODULES / "examples/jsm/loaders/GLTFLoader.js").read_text()
        for name in ("BufferGeometryUtils.js", "SkeletonUtils.js"):
            shutil.copy(MODULES / "examples/jsm/utils" / name, folder / name)
            loader = loader.replace(f"'../utils/{name}'", f"'./{name}'")
        (folder / "GLTFLoader.js").write_text(loader)
        page.goto(address + "index.html")
        page.wait_for_function("window.ready")

    def take(self, case: Case, data: bytes) -> None:
        (self.folder / "scene.glb").write_bytes(data)
        self.drivers = case.made.drivers
        self.page.evaluate("([f, b]) => load(f, b)", [f"scene.glb?{abs(hash(case.name))}", case.made.view.background])

    def at(self, state: State) -> np.ndarray:
        time = float(
            seen_time(self.drivers, np.array([state.time]))[0]
        )  # whether time begins again is the engine's to set
        clip, seconds = ("time", time) if state.time else ("scroll", state.scroll * 10)
        self.page.evaluate(f"draw('{clip}', {seconds})")
        return shot(self.page)
