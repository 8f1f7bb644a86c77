"""The engine kit in other hands: Khronos' glTF validator, three.js in Chromium, and a pygame player of the kit."""

import json
import shutil
import subprocess

import cv2
import numpy as np
import pytest
from PIL import Image

from clinamen.core.exports.engine import kit as enginekit
from clinamen.core.motion.states import State
from clinamen.core.raster import render
from tests.agreement.hands import CanvasHand
from tests.conftest import ROOT, layer, noise, psnr, scene, shelf_of, track
from tests.seen import shot

MODULES = ROOT / "tests/node/node_modules"
PAGE = """<!doctype html><link rel="icon" href="data:,"><style>body{margin:0}</style>
<script type="importmap">{"imports":{"three":"./three.module.js"}}</script>
<script type="module">
import * as THREE from 'three';
import { GLTFLoader } from './GLTFLoader.js';
const renderer = new THREE.WebGLRenderer({preserveDrawingBuffer: true, antialias: false});
renderer.setSize(640, 360); document.body.append(renderer.domElement);
const gltf = await new GLTFLoader().loadAsync('scene.glb');
gltf.scene.background = new THREE.Color('#203040');
const mixer = new THREE.AnimationMixer(gltf.scene);
window.draw = (name, seconds) => {
  mixer.stopAllAction();
  const clip = gltf.animations.find((each) => each.name === name);
  if (clip) { const action = mixer.clipAction(clip); action.setLoop(THREE.LoopOnce); action.clampWhenFinished = true; action.play(); mixer.setTime(seconds); }
  renderer.render(gltf.scene, gltf.cameras[0]);
};
window.draw('', 0); window.ready = true;
</script>"""


@pytest.fixture(scope="module")
def made():
    art = {
        name: noise(w, h, i, 60)
        for i, (name, w, h) in enumerate((("sky", 760, 460), ("back", 900, 520), ("isle", 300, 260)))
    }
    y, x = np.mgrid[0:260, 0:300]
    art["isle"][..., 3] = np.where(np.hypot((x - 150) / 140, (y - 130) / 110) < 1, 255, 0)
    scene_ = scene(
        layer("sky", 760, 460, depth="infinite"),
        layer("back", 900, 520, depth=600, tilt={"turn": 12}),
        layer("isle", 300, 260, depth=-120, framing={"x": -60, "y": 30, "scale": 0.9, "rotation": 15}),
        view={"width": 640, "height": 360, "background": "#203040"}, drivers={"scroll": {}, "time": {"duration": 4}},
        tracks=[
            track("camera", "x", "scroll", (0, 0, "ease"), (1, 70)), track("camera", "z", "scroll", (0, 0), (1, 120)),
            track("camera", "yaw", "scroll", (0, 0), (1, 3)), track("camera", "roll", "time", (0, 0), (4, 8)),
            track("isle", "y", "time", (0, 0, "smooth"), (2, 30, "smooth"), (4, 0)),
        ],
    )  # fmt: skip
    shelf = shelf_of(art)
    return scene_, art, enginekit.build(scene_, shelf, enginekit.KitOptions(page_size=1024))


def away_from_edges(made_scene, art, state: State) -> np.ndarray:
    """Where no outline runs within 3 px: edges are antialiased differently by everyone."""
    blank = {
        name: np.dstack([np.zeros_like(a[..., :3]) + 60 * (i + 1), a[..., 3]])
        for i, (name, a) in enumerate(art.items())
    }
    flat = render(made_scene, state, lambda x: blank[x.id])[..., :3].astype(int)
    edges = (np.abs(np.diff(flat, axis=0, append=flat[-1:])) + np.abs(np.diff(flat, axis=1, append=flat[:, -1:]))).max(
        axis=2
    ) > 0
    return cv2.dilate(edges.astype(np.uint8), np.ones((7, 7))) == 0


def validate(data: bytes, path) -> dict:
    path.write_bytes(data)
    done = subprocess.run(
        ["node", "validate_gltf.mjs", str(path)], cwd=ROOT / "tests/node", capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)["issues"]


def test_khronos_validator_finds_no_error(made, tmp_path) -> None:
    issues = validate(made[2]["scene.glb"], tmp_path / "scene.glb")
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"]


def test_power_of_two_pages_leave_not_even_a_remark(made, tmp_path) -> None:
    files = enginekit.build(made[0], shelf_of(made[1]), enginekit.KitOptions(page_size=1024, power_of_two=True))
    assert validate(files["scene.glb"], tmp_path / "scene.glb")["messages"] == []


def test_three_js_draws_what_the_core_draws(made, webgl_page, folder_server, tmp_path) -> None:
    page = webgl_page
    made_scene, art, files = made
    (tmp_path / "scene.glb").write_bytes(files["scene.glb"])
    (tmp_path / "index.html").write_text(PAGE)
    for name in ("three.module.js", "three.core.js"):
        shutil.copy(MODULES / "three/build" / name, tmp_path / name)
    loader = (MODULES / "three/examples/jsm/loaders/GLTFLoader.js").read_text()
    for folder, name in (("utils", "BufferGeometryUtils.js"), ("utils", "SkeletonUtils.js")):
        shutil.copy(MODULES / "three/examples/jsm" / folder / name, tmp_path / name)
        loader = loader.replace(f"'../utils/{name}'", f"'./{name}'")
    (tmp_path / "GLTFLoader.js").write_text(loader)
    page.set_viewport_size({"width": 640, "height": 360})
    page.goto(folder_server(tmp_path) + "index.html")
    page.wait_for_function("window.ready")
    for name, at, state in (
        ("", 0, State()),
        ("scroll", 10, State(1.0)),
        ("scroll", 3.7, State(0.37)),
        ("time", 2.6, State(time=2.6)),
    ):
        page.evaluate(f"draw('{name}', {at})")
        shown = shot(page)
        ours = render(made_scene, state, lambda x: art[x.id])[..., :3]
        where = away_from_edges(made_scene, art, state)
        assert where.mean() > 0.6
        assert psnr(shown, ours, where) > 35, (name, at)


def test_the_pygame_player_draws_what_the_core_draws(made, tmp_path) -> None:
    made_scene, art, files = made
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    from clinamen.standins.kit_reader import Kit

    kit = Kit(tmp_path)
    for state in (State(), State(0.5, time=1.0), State(1.0, time=3.0)):
        picture = kit.draw({"scroll": state.scroll, "u": 0.0, "v": 0.0, "time": state.time})
        ours = render(made_scene, state, lambda x: art[x.id])[..., :3]
        assert psnr(picture, ours, away_from_edges(made_scene, art, state)) > 35


def test_the_demo_in_the_pygame_player(tmp_path) -> None:
    from clinamen.core.exchange.opening import open_scene
    from clinamen.core.pictures.shelf import ArtShelf
    from clinamen.standins.kit_reader import Kit

    files = open_scene(ROOT / "demo/kelp-descent")
    shelf = ArtShelf(files.read)
    for name, data in enginekit.build(files.scene, shelf, enginekit.KitOptions(vectors=False)).items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    picture = Kit(tmp_path).draw({"scroll": 0.4, "u": 0.5, "v": -0.5, "time": 3.0}, 0.25)
    ours = render(files.scene, State(0.4, (0.5, -0.5), 3.0), shelf.pixels, 0.25)[..., :3]
    assert psnr(picture, ours) > 26, "the player samples without averaging down; the whole must still agree"


def test_the_kits_own_test_vectors_prove_the_stand_in_reader(made, tmp_path) -> None:
    made_scene, _, files = made
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    from clinamen.standins.kit_reader import Kit

    kit, told = Kit(tmp_path), json.loads(files["vectors.json"])["states"]
    assert len(told) == 20 and sum("picture" in entry for entry in told) == 5
    assert max(entry["state"]["time"] for entry in told) > made_scene.drivers.time.duration, "times past the end too"
    for entry in told:
        state = entry["state"]
        asked = {"scroll": state["scroll"], "u": state["pointer"][0], "v": state["pointer"][1], "time": state["time"]}
        for layer_entry, wanted in zip(kit.data["layers"], entry["layers"], strict=True):
            matrix, opacity, blur = kit.matrix(layer_entry, asked)
            assert layer_entry["id"] == wanted["id"]
            assert (matrix / matrix[2, 2]).ravel() == pytest.approx(wanted["matrix"], abs=1e-6)
            assert (opacity, blur) == pytest.approx((wanted["opacity"], wanted["blur"]))
        if "picture" in entry:
            picture = np.asarray(Image.open(tmp_path / entry["picture"]))
            assert psnr(kit.draw(asked, entry["scale"]), picture) > 30


def test_the_kits_own_test_vectors_prove_the_reader_in_plain_javascript(made, page, tmp_path, folder_server) -> None:
    files = made[2]
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    told = json.loads(files["vectors.json"])["states"]
    reader = CanvasHand(page, tmp_path, folder_server(tmp_path))
    reader.take(scale=told[0]["scale"])
    for entry in told:
        state = entry["state"]
        asked = {"scroll": state["scroll"], "u": state["pointer"][0], "v": state["pointer"][1], "time": state["time"]}
        placed = reader.placed(asked)
        for wanted in entry["layers"]:
            mine = placed[wanted["id"]]
            assert (np.array(mine["matrix"]) / mine["matrix"][2][2]).ravel() == pytest.approx(
                wanted["matrix"], abs=1e-6
            )
            assert (mine["opacity"], mine["blur"]) == pytest.approx((wanted["opacity"], wanted["blur"]))
        if "picture" in entry:
            assert psnr(reader.draw(asked), np.asarray(Image.open(tmp_path / entry["picture"]))) > 28


def test_the_readers_stay_small_enough_to_port() -> None:
    """An example of a few hundred lines is not read by anyone."""
    for name in ("kit_reader.py", "kit_canvas.js"):
        assert len((ROOT / "clinamen/standins" / name).read_text().splitlines()) < 200
