"""Latency of a drag: server time of the previews of one layer in a 24-layer scene, and of the verdict after each edit that is kept. CLINAMEN_DEMO=1 python -m bench.edit

Needs the database (bin/database start). Works in a scene of its own and throws it away.
"""

import re
import time

import numpy as np


def fields_of(text: str) -> dict[str, str]:
    """The hidden fields that every request of a page carries."""
    form = re.search(r'<form id="choice".*?</form>', text, re.S)
    assert form
    return dict(re.findall(r'name="(\w+)" value="([^"]*)"', form.group(0)))


def main() -> None:
    from bench.kept import kept
    from bench.scenes import scene

    for gap in (False, True):
        with kept(scene(gap)) as (row, client):
            _dragged(client, row, gap)


def _dragged(client, row, gap: bool) -> None:  # type: ignore[no-untyped-def]
    page = client.get(f"/scenes/{row.pk}/depth/?layer=layer-12").content.decode()
    fields = fields_of(page)
    address = f"/scenes/{row.pk}/edit/depth/"
    kinds = (("hasty preview", {"preview": "hasty"}), ("proved preview", {"preview": "proved"}), ("saved edit", {}))
    for number, (kind, extra) in enumerate(kinds):
        taken, sizes, verdicts = [], [], []
        for rate in np.linspace(0.2, 0.6, 41) + 0.002 * number:  # what was proved already is not proved again
            begun = time.perf_counter()
            answer = client.post(address, {**fields, "layer": "layer-12", "rate": f"{rate:.4f}", **extra})
            assert answer.status_code == 200
            taken.append(1000 * (time.perf_counter() - begun))
            text = answer.content.decode()
            sizes.append(len(answer.content) / 1000)
            fields = fields_of(text)
            if not extra:
                begun = time.perf_counter()
                text = client.get(f"/scenes/{row.pk}/desk/", {**fields, "verdict": "1"}).content.decode()
                verdicts.append(1000 * (time.perf_counter() - begun))
                fields = fields_of(text)
        p50, p95 = np.percentile(taken[1:], [50, 95])
        print(f"drag, {'a move too far' if gap else 'a move that holds'}, {kind}: p50 {p50:.0f} ms, p95 {p95:.0f} ms, "
              f"answers of {np.median(sizes[1:]):.0f} kB")  # fmt: skip
        if verdicts:
            p50, p95 = np.percentile(verdicts[1:], [50, 95])
            print(f"    the verdict after it: p50 {p50:.0f} ms, p95 {p95:.0f} ms")


if __name__ == "__main__":
    main()
