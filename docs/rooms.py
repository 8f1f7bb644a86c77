"""Draw docs/rooms.svg: the packages of the code as rooms, each above what it imports. python docs/rooms.py

Made from the imports themselves (grimp), so it shows what is and not what is meant.
"""

from collections import defaultdict
from pathlib import Path
from xml.sax.saxutils import escape

import grimp

ROOT = Path(__file__).parents[1]
WIDTH, BOX, HEIGHT, GAP, ROW = 1240, 118, 46, 14, 96
COLOURS = {"core": "#FBF9F4", "apps": "#E4F1EC", "site": "#FBE9E2"}


def room_of(module: str) -> str:
    """Which room a module stands in: a package of the core, or an app."""
    parts = module.split(".")
    return ".".join(parts[1:3]) if parts[1:2] == ["core"] and len(parts) > 2 else ".".join(parts[1:2])


def lines(room: str) -> int:
    base = ROOT / "clinamen" / room.replace(".", "/")
    files = base.rglob("*.py") if base.is_dir() else [base.with_suffix(".py")]
    return sum(len(file.read_text().splitlines()) for file in files if file.exists() and "migrations" not in file.parts)


def main() -> None:
    graph = grimp.build_graph("clinamen", exclude_type_checking_imports=True)
    below: dict[str, set[str]] = defaultdict(set)
    for module in graph.modules:
        for imported in graph.find_modules_directly_imported_by(module):
            a, b = room_of(module), room_of(imported)
            if a and b and a != b and not {"core", "__main__"} & {a, b}:
                below[a].add(b)
    rooms = sorted({*below, *(b for others in below.values() for b in others)})
    level: dict[str, int] = {}

    def floor(room: str) -> int:
        if room not in level:
            level[room] = 1 + max((floor(other) for other in below[room]), default=-1)
        return level[room]

    rows: dict[int, list[str]] = defaultdict(list)
    for room in rooms:
        rows[floor(room)].append(room)
    top = max(rows)
    place = {}
    for number, row in rows.items():
        width = len(row) * BOX + (len(row) - 1) * GAP
        for index, room in enumerate(row):
            place[room] = ((WIDTH - width) / 2 + index * (BOX + GAP), 30 + (top - number) * ROW)
    out = []
    for room, others in below.items():
        for other in sorted(others):
            (x0, y0), (x1, y1) = place[room], place[other]
            start, end = (x0 + BOX / 2, y0 + HEIGHT), (x1 + BOX / 2, y1)
            bend = (end[1] - start[1]) / 2
            out.append(
                f'<path d="M{start[0]:.0f},{start[1]:.0f} C{start[0]:.0f},{start[1] + bend:.0f} {end[0]:.0f},{end[1] - bend:.0f} '
                f'{end[0]:.0f},{end[1]:.0f}" fill="none" stroke="#17456B" stroke-opacity="0.28"/>'
            )
    for room, (x, y) in place.items():
        kind = "core" if room.startswith("core.") else "site" if room in ("site", "cli", "standins") else "apps"
        out.append(
            f'<rect x="{x:.0f}" y="{y:.0f}" width="{BOX}" height="{HEIGHT}" rx="4" fill="{COLOURS[kind]}" stroke="#17456B"/>'
            f'<text x="{x + BOX / 2:.0f}" y="{y + 19:.0f}" font-weight="600">{escape(room.removeprefix("core."))}</text>'
            f'<text x="{x + BOX / 2:.0f}" y="{y + 36:.0f}" fill="#5E6A73">{lines(room)} lines</text>'
        )
    height = 30 + (top + 1) * ROW
    (ROOT / "docs/rooms.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" font-family="Archivo, sans-serif" '
        f'font-size="13" text-anchor="middle" fill="#1B2530"><rect width="{WIDTH}" height="{height}" fill="#F3EFE6"/>'
        + "".join(out)
        + "</svg>\n"
    )


if __name__ == "__main__":
    main()
