"""Numbers as people type them: "50 mm", "40°", "2.5 m", "30 %", "1 200", with a comma or a point."""

import math
import re

from clinamen.core.errors import BadEdit

_NUMBER = re.compile(r"([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:e[+-]?\d+)?) ?([^\d\s.,+-]*)", re.IGNORECASE)
LONGEST = 200  # characters of what is typed into a number
UNITS = {"": 1.0, "px": 1.0, "mm": 1.0, "cm": 10.0, "m": 1000.0, "°": 1.0, "deg": 1.0, "%": 0.01, "s": 1.0, "ms": 0.001,
         "×": 1.0, "x": 1.0, "fps": 1.0, "hz": 1.0}  # fmt: skip


def number(text: str, field: str, low: float = -math.inf, high: float = math.inf, units: str = "") -> float:
    """The number in `text`; BadEdit names the field. `units` lists the units the field understands, by spaces."""
    if len(text) > LONGEST:
        raise BadEdit(f"{field}: is {len(text)} characters long; type a number such as 12.5")
    plain = " ".join(text.replace("\u202f", "").replace("\u00a0", "").replace("−", "-").split())
    plain = re.sub(r"(?<=\d) (?=\d{3}\b)", "", plain)
    match = _NUMBER.fullmatch(plain)
    allowed = ["", *units.lower().split()]
    if match is None or match.group(2).lower() not in allowed:
        hint = f" (units: {', '.join(units.split())})" if units else ""
        raise BadEdit(f"{field}: {text.strip()[:40]!r} is not a number{hint}; type one such as 12.5")
    value = float(match.group(1).replace(",", ".")) * UNITS[match.group(2).lower()]
    if not low <= value <= high or not math.isfinite(value):
        raise BadEdit(f"{field}: {_said(value)} is out of range; type {_within(low, high)}")
    return value


def _said(value: float) -> str:
    return shown(value, 6) if abs(value) < 1e12 else f"{value:g}"


def _within(low: float, high: float) -> str:
    """What may be typed, in words."""
    if math.isfinite(low) and math.isfinite(high):
        return f"a number from {_said(low)} to {_said(high)}"
    if math.isfinite(low):
        return f"a number of {_said(low)} or more"
    return f"a number of {_said(high)} or less" if math.isfinite(high) else "one of fewer digits"


def whole(text: str) -> int | None:
    """The whole number that a page or a file name wrote in decimal digits; None for anything else, as "²" or a number of more
    than 18 digits."""
    return int(text) if text.isdecimal() and len(text) <= 18 else None


def shown(value: float, digits: int = 2) -> str:
    """A number for reading: a thin space between thousands, a true minus sign, no trailing zeros."""
    text = f"{value:,.{digits}f}".replace(",", "\u202f")
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text.replace("-", "−")


def counted(count: int, one: str, many: str = "") -> str:
    """A number of things: "1 layer", "3 layers"."""
    return f"{count} {one if count == 1 else many or one + 's'}"


def plain(value: float) -> str:
    """A number as style sheets and files write it: at most nine decimals, no trailing zeros, a plain minus."""
    text = f"{value:.9f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
