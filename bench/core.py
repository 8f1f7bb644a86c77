"""Times of the proof: python -m bench.core. Times are of this machine; the ratios are what to compare."""

import statistics
import time
from collections.abc import Callable

from bench.scenes import art, scene
from clinamen.core.bounds import needs
from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.checks import Finding, prove
from clinamen.core.document import Scene


def seconds(run: Callable[[], object], times: int = 5) -> float:
    """Median seconds of a call, after one to warm up."""
    run()
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        run()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def fresh_proof(made: Scene, sets: dict[str, OpaqueSet], with_fixes: bool) -> list[Finding]:
    """A proof that remembers nothing of the last one."""
    needs._known.clear()
    return prove(made, sets, with_fixes)


def main() -> None:
    pictures = {f"layer-{i:02d}": art(i) for i in range(24)}
    sets = {name: opaque_set(pixels[..., 3], pixels.shape[1], pixels.shape[0]) for name, pixels in pictures.items()}
    for gap in (False, True):
        made = scene(gap)
        checks = seconds(lambda made=made: fresh_proof(made, sets, False))
        fixes = seconds(lambda made=made: fresh_proof(made, sets, True), 3)
        found = len(prove(made, sets, False))
        print(f"proof, 24 layers, 3 drivers, {'a move too far' if gap else 'a move that holds'}: "
              f"{checks:.2f} s without fixes, {fixes:.2f} s with, {found} findings")  # fmt: skip


if __name__ == "__main__":
    main()
