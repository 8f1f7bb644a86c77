"""The hands a scene is given to: the exported page in Chromium, the kit's stand-in player, scene.glb in three.js."""

import io
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from clinamen.core.exports.engine import kit as enginekit
from clinamen.core.exports.web import page as webpage
from clinamen.core.motion.states import State
from clinamen.standins.kit_player import Kit
from tests.agreement.cases import HEIGHT, WIDTH, Case
from tests.conftest import ROOT, shelf_of
from tests.outside.test_css import held, quads

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


def shot(page: Any) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"))


def write(folder: Path, files: dict[str, bytes]) -> None:
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)


class PageHand:
    """The exported page, its drivers held where a state says."""

    def __init__(self, page: Any, folder: Path) -> None:
        self.page, self.folder = page, folder

    def take(self, case: Case) -> None:
        write(self.folder, webpage.build(case.made, shelf_of(case.art)))
        self.page.goto((self.folder / "index.html").as_uri())
        self.page.add_style_tag(content=".clinamen-pause{display:none}")

    def at(self, state: State) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        held(self.page, state)
        return shot(self.page), quads(self.page)


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
        asked = {"scroll": state.scroll, "u": state.pointer[0], "v": state.pointer[1], "time": state.time}
        places = {}
        for entry in self.kit.data["layers"]:
            half = np.array([entry["size"]["width"], entry["size"]["height"]]) / 2
            ends = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
            seen = np.column_stack([ends, np.ones(4)]) @ self.kit.matrix(entry, asked)[0].T
            places[entry["id"]] = seen[:, :2] / seen[:, 2:]
        return self.kit.draw(asked), places


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
        self.page.evaluate("([f, b]) => load(f, b)", [f"scene.glb?{abs(hash(case.name))}", case.made.view.background])

    def at(self, state: State) -> np.ndarray:
        self.page.evaluate(f"draw('scroll', {state.scroll * 10})")
        return shot(self.page)
