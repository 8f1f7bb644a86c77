"""One colour for depth everywhere: pale and cold far, dark and warm near."""

RAMP = (
    (0.0, (190, 215, 224)), (0.25, (160, 192, 204)), (0.45, (126, 168, 178)), (0.6, (98, 145, 148)),
    (0.8, (96, 128, 110)), (1.0, (214, 138, 70)), (1.3, (150, 92, 58)), (1.7, (100, 54, 40)), (2.2, (66, 36, 32)),
)  # fmt: skip


def depth_colour(rate: float) -> str:
    """The ramp's colour at a rate, as #rrggbb."""
    rate = min(max(rate, RAMP[0][0]), RAMP[-1][0])
    for (low, from_), (high, to) in zip(RAMP, RAMP[1:], strict=False):
        if rate <= high:
            share = (rate - low) / (high - low)
            return "#" + "".join(f"{round(a + (b - a) * share):02x}" for a, b in zip(from_, to, strict=True))
    return "#" + "".join(f"{c:02x}" for c in RAMP[-1][1])
