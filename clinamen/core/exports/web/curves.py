"""Curves as keyframes: a track's curve with an animation of its own, and one that a sheet runs as its own translation."""

from dataclasses import dataclass

from clinamen.core.motion.terms import CurveTerm
from clinamen.core.quantities import plain


@dataclass(frozen=True)
class Run:
    """A curve with an animation of its own in the style sheet: the custom property it animates is `var`."""

    index: int
    term: CurveTerm

    @property
    def var(self) -> str:
        return f"--k{self.index}"

    @property
    def over_scroll(self) -> bool:
        return self.term.track.driver == "scroll"

    @property
    def seconds(self) -> float:
        return 1.0 if self.over_scroll else self.term.end

    @property
    def loops(self) -> bool:
        return self.term.loops

    def frames(self, prop: str, value: str, factor: float = 1.0) -> str:
        """Keyframes of `prop`; `value` is a template with {} for the number times `factor`."""
        end = self.term.end

        def frame(at: float, number: float, easing: str = "") -> str:
            timing = f"animation-timing-function:{easing}" if easing else ""
            return f"{plain(at / end * 100)}%{{{prop}:{value.format(plain(number * factor))};{timing}}}"

        keys = self.term.keys
        out = [frame(0, keys[0].value, "step-end")] if keys[0].at > 0 else []
        for piece in self.term.curve.pieces:
            if piece.handles is None:
                easing = "step-start" if piece.jumps_at_start else "step-end"
            else:
                easing = f"cubic-bezier({','.join(plain(handle) for handle in piece.handles)})"
            out.append(frame(piece.start, piece.first, easing))
        out.append(frame(keys[-1].at, keys[-1].value, "step-end" if keys[-1].at < end else ""))
        if keys[-1].at < end:
            out.append(frame(end, keys[-1].value))
        return "".join(out)


@dataclass(frozen=True)
class Slide:
    """A scroll curve that a sheet runs as keyframes of its own `translate`: along `axis`, `factor` pixels a unit."""

    run: Run
    axis: str
    factor: float
