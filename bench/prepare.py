"""Prep steps: previews of a 12-megapixel picture, and cut and fill at 24 megapixels. python -m bench.prepare"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from clinamen.core.document import Scene, parse
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.fill import fill_region
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.run import run
from clinamen.core.prep.steps import AssistedCut, Fill
from demo import orrery

STEPS: dict[str, dict[str, Any]] = {
    "outline": {"nodes": [{"x": 900, "y": 700}, {"x": 3000, "y": 700, "out_x": 300}, {"x": 2000, "y": 2500}]},
    "rectangle": {"box": {"x": 500, "y": 500, "width": 3000, "height": 1500}, "radius": 60},
    "key": {"colour": "#2a4a58"}, "brightness": {}, "soften": {}, "grow": {"by": 5}, "smooth": {"radius": 8}, "solid": {},
    "fringe": {}, "bleed": {}, "extend": {"left": 200, "method": "flip"}, "flip": {}, "turn": {},
    "resize": {"width": 2100, "height": 1400}, "match": {"layer": "other"},
}  # fmt: skip


def assisted(mask: Any) -> AssistedCut:
    """The cut a person makes on the orrery: a box around it and some marks."""
    return AssistedCut.model_validate(orrery.cut(mask))


def previews(picture: Any, mask: Any) -> None:
    height, width = picture.shape[:2]
    data = encode_png(picture, level=1)
    cut_out = picture.copy()
    cut_out[..., 3] = 255 - mask
    files = {"art/a.png": data, "art/b.png": encode_png(cut_out, level=1)}
    base = {"art": {"file": "art/a.png", "width": width, "height": height}}
    other = {"id": "other", **base}
    print("previews of 12 megapixels, the original decoded and reduced once:")
    cases = {**STEPS, "assisted": assisted(mask).model_dump(exclude={"step"})}
    behind = {"fill": {"reach": 40}, "fill ": {"reach": 40, "method": "texture"}}
    for kind, fields in [*cases.items(), *behind.items()]:
        file = "art/b.png" if kind.strip() == "fill" else "art/a.png"
        recipe = Recipe.model_validate({"width": width, "height": height, "steps": [{"step": kind.strip(), **fields}]})
        size = {"width": recipe.final.width, "height": recipe.final.height}
        layer = {"id": "a", "art": {"file": file, **size}, "recipe": recipe.model_dump()}
        scene: Scene = parse({"layers": [other, layer]})
        shelf = ArtShelf(files.__getitem__, scene=scene)
        shelf.preview(scene.layers[0])
        shelf.preview(scene.layers[1].model_copy(update={"recipe": Recipe(width=width, height=height)}))
        begun = time.perf_counter()
        shelf.preview(scene.layers[1])
        print(
            f"  {kind + (' by texture' if kind.endswith(' ') else ''):18} {(time.perf_counter() - begun) * 1000:6.0f} ms"
        )


def large(kind: str, picture: Any, mask: Any) -> None:
    """One job at 24 megapixels, in a process of its own so that its memory can be told."""
    height, width = picture.shape[:2]
    Path("/proc/self/clear_refs").write_text("5")  # the peak is counted from here on
    before = peak()
    step: Any = assisted(mask) if kind == "cut" else Fill(reach=40, method="texture" if kind == "texture" else "smooth")
    if kind != "cut":
        picture[..., 3] = 255 - mask
    begun = time.perf_counter()
    run(Recipe(width=width, height=height, steps=(step,)), picture)
    gone = time.perf_counter() - begun
    most = peak()
    print(
        f"  {kind:10} {width * height / 1e6:.1f} megapixels: {gone:5.1f} s, {most:.0f} MB at most ({before:.0f} MB before it began)"
    )


def peak() -> float:
    """The process's largest resident memory in MB."""
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(line.split()[1]) / 1024


def truth() -> tuple[Any, Any, Any]:
    picture, mask, background = orrery.truth()
    return np.dstack([picture, np.full(mask.shape, 255, np.uint8)]), mask, background


def against_the_truth(picture: Any, mask: Any, background: Any) -> None:
    height, width = picture.shape[:2]
    made = run(Recipe(width=width, height=height, steps=(assisted(mask),)), picture)
    alpha = made[..., 3]
    got, want = alpha >= 128, mask >= 128
    edge = cv2.dilate(((mask > 0) & (mask < 255)).astype(np.uint8), np.ones((9, 9))) > 0
    iou = (got & want).sum() / (got | want).sum()
    error = np.abs(alpha.astype(float) - mask)[edge].mean() / 255
    print(
        f"assisted cut of the orrery, a box and {len(orrery.marks())} marks: IoU {iou:.4f}, mean alpha error at the edge {error:.4f}"
    )
    hole = picture.copy()
    hole[..., 3] = 255 - mask
    grown, band = fill_region(hole[..., 3], 10, 40)
    band &= want
    mean = np.broadcast_to(picture[..., :3][~grown].mean(axis=0), picture[..., :3].shape)
    for method in ("smooth", "texture"):
        out = run(Recipe(width=width, height=height, steps=(Fill(reach=40, method=method),)), hole)[..., :3]
        print(
            f"fill, {method:8}: PSNR {psnr(out, background, band):.1f} dB in the band, SSIM {ssim(out, background, band):.3f}"
        )
    print(f"plain mean colour: PSNR {psnr(mean, background, band):.1f} dB, SSIM {ssim(mean, background, band):.3f}")


def psnr(one: Any, other: Any, where: Any) -> float:
    return float(10 * np.log10(255**2 / ((one.astype(float) - other) ** 2)[where].mean()))


def ssim(one: Any, other: Any, where: Any) -> float:
    """Mean structural similarity over `where`, of lightness (Wang et al. 2004, with scikit-image)."""
    from skimage.metrics import structural_similarity

    def grey(picture: Any) -> Any:
        return picture.astype(np.float32) @ np.array([0.299, 0.587, 0.114], np.float32)

    _, field = structural_similarity(grey(one), grey(other), data_range=255, full=True)
    return float(field[where].mean())


def main() -> None:
    if len(sys.argv) > 1:
        with np.load(sys.argv[2]) as kept:
            large(sys.argv[1], kept["picture"], kept["mask"])
        return
    picture, mask, background = truth()
    against_the_truth(picture, mask, background)
    previews(picture, mask)
    size = (6000, 4000)
    with tempfile.NamedTemporaryFile(suffix=".npz") as file:
        grown = [np.asarray(Image.fromarray(part).resize(size, Image.Resampling.BICUBIC)) for part in (picture, mask)]
        np.savez(file, picture=grown[0], mask=grown[1])
        file.flush()
        print("full size:", flush=True)
        for kind in ("cut", "smooth", "texture"):
            subprocess.run([sys.executable, "-m", "bench.prepare", kind, file.name], check=True)


if __name__ == "__main__":
    main()
