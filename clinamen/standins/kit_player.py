"""Plays an engine kit with pygame-ce: the stand-in for a game engine; what it draws is worked out by `kit_reader`.

python -m clinamen.standins.kit_player DIR                      a window; the mouse is the pointer, the wheel scrolls
python -m clinamen.standins.kit_player DIR --out f.png --scroll 0.5
"""

import argparse
import os
from pathlib import Path

import pygame

from clinamen.standins.kit_reader import Kit


def play(kit: Kit, scale: float) -> None:
    """A window that plays the kit until it is closed."""
    view = kit.data["view"]
    screen = pygame.display.set_mode((round(view["width"] * scale), round(view["height"] * scale)))
    state, clock = {"scroll": 0.0, "u": 0.0, "v": 0.0, "time": 0.0}, pygame.time.Clock()
    duration = kit.data["drivers"].get("time", {}).get("duration", 0)
    while True:
        for event in pygame.event.get():
            if event.type == pygame.QUIT:
                return
            if event.type == pygame.MOUSEWHEEL:
                state["scroll"] = min(1.0, max(0.0, state["scroll"] - event.y * 0.02))
            if event.type == pygame.MOUSEMOTION:
                state["u"], state["v"] = (2 * p / s - 1 for p, s in zip(event.pos, screen.get_size(), strict=True))
        picture = kit.draw(state, scale)
        screen.blit(pygame.surfarray.make_surface(picture.swapaxes(0, 1)), (0, 0))
        pygame.display.flip()
        seconds = clock.tick(60) / 1000
        state["time"] = state["time"] + seconds if duration else 0.0


def main() -> None:
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--out", type=Path)
    parser.add_argument("--scale", type=float, default=0.5)
    for name in ("scroll", "u", "v", "time"):
        parser.add_argument(f"--{name}", type=float, default=0.0)
    options = parser.parse_args()
    if options.out:
        os.environ.setdefault("SDL_VIDEODRIVER", "dummy")
    pygame.init()
    kit = Kit(options.folder)
    if options.out is None:
        play(kit, options.scale)
        return
    picture = kit.draw({name: getattr(options, name) for name in ("scroll", "u", "v", "time")}, options.scale)
    pygame.image.save(pygame.surfarray.make_surface(picture.swapaxes(0, 1)), str(options.out))


if __name__ == "__main__":
    main()
