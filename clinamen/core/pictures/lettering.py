"""Text in vector art: drawn in fonts that ship, the same on every machine; a family that is not here gets the nearest of them.

The fonts (`fonts/`, with their licences) are DejaVu's sans, serif and mono. Letters that those lack are drawn in Droid Sans
Fallback (Han, Kana), Nanum Square (Hangul) and Noto Sans Arabic, Hebrew, Devanagari and Thai; characters that none has are
said. Families are named as CSS Fonts 4 says: in the attribute or property `font-family`, several with commas between, generic
ones without quotes.
"""

import re
import unicodedata
from collections.abc import Callable
from functools import cache, partial
from pathlib import Path
from xml.etree import ElementTree as Tree

MOST_TOLD = 12  # characters
FONTS = Path(__file__).parent / "fonts"
SANS, SERIF, MONO = "DejaVu Sans", "DejaVu Serif", "DejaVu Sans Mono"
GENERIC = {
    "sans-serif": SANS, "serif": SERIF, "monospace": MONO, "cursive": SERIF, "fantasy": SANS, "system-ui": SANS,
    "ui-sans-serif": SANS, "ui-serif": SERIF, "ui-monospace": MONO, "ui-rounded": SANS, "math": SERIF, "emoji": SANS,
    "inherit": "", "initial": "", "unset": "",
}  # fmt: skip
LIKE_MONO = re.compile(r"mono|courier|consol|typewriter|code\b|menlo|terminal", re.IGNORECASE)
LIKE_SERIF = re.compile(
    r"(?<!sans[ -])serif|times|georgia|garamond|palatino|bodoni|baskerville|caslon|didot|minion|cambria|roman|antiqua"
    r"|book|script",
    re.IGNORECASE,
)
_PROPERTY = re.compile(r"(font-family\s*+:\s*+)([^;}]{1,400})", re.IGNORECASE)
_WORDS = re.compile(rb"<(?:\w{1,40}:)?text[\s>/]")


def has_text(data: bytes) -> bool:
    """True for a vector picture with words in it, whatever they are drawn with."""
    return _WORDS.search(data) is not None


def nearest(family: str) -> str:
    """The shipped family that stands in for another."""
    return MONO if LIKE_MONO.search(family) else SERIF if LIKE_SERIF.search(family) else SANS


def _families(text: str) -> list[str]:
    return [name for part in text.split(",") if (name := part.strip().strip("'\"").strip())]


def settled(text: str, missing: dict[str, str]) -> str:
    """A value of font-family with a shipped family in its place; what is not here is added to `missing`, with the family that
    is drawn instead."""
    names = _families(text)
    here = next(
        (i for i, name in enumerate(names) if name in (SANS, SERIF, MONO) or name.lower() in GENERIC), len(names)
    )
    if not names or (here < len(names) and not GENERIC.get(names[here].lower(), names[here])):
        return text
    drawn = GENERIC.get(names[here].lower(), names[here]) if here < len(names) else nearest(names[0])
    missing |= dict.fromkeys(names[:here], drawn)
    return f"'{drawn}'"


def settle(root: "Tree.Element") -> dict[str, str]:
    """Give every text of a document a shipped family; returns the families that were asked for and are not here, each with
    the one that is drawn instead."""
    missing: dict[str, str] = {}

    def in_style(style: str) -> str:
        return _PROPERTY.sub(lambda found: found[1] + settled(found[2], missing), style)

    for element in root.iter():
        if "font-family" in element.attrib:
            element.set("font-family", settled(element.attrib["font-family"], missing))
        if "style" in element.attrib:
            element.set("style", in_style(element.attrib["style"]))
        if str(element.tag).split("}")[-1] == "style" and element.text:
            element.text = in_style(element.text)
    return missing


def substitutes(root: "Tree.Element") -> list[str]:
    """A sentence for each family that text of the document asks for and that is not here."""
    if not any(str(element.tag).split("}")[-1] == "text" for element in root.iter()):
        return []
    cure = "to keep the letters, turn the text into paths"
    return [
        f"the font family “{name}” is not here: its text is drawn in {drawn}; {cure}"
        for name, drawn in sorted(settle(root).items())
    ]


def unknown(root: "Tree.Element") -> list[str]:
    """A sentence where text of the document has characters that no font here can draw."""
    texts = [element for element in root.iter() if str(element.tag).split("}")[-1] == "text"]
    wanted = {each for text in texts for part in text.itertext() for each in part if not _unseen(each)}
    for cover in _covers():
        wanted -= {each for each in wanted if ord(each) in cover()}
        if not wanted:
            return []
    some = " ".join(sorted(wanted)[:MOST_TOLD])
    more = f" and {len(wanted) - MOST_TOLD} more" if len(wanted) > MOST_TOLD else ""
    return [f"no font here has the characters “{some}”{more}, so they are not drawn; turn the text into paths"]


def _unseen(character: str) -> bool:
    """True of blanks, of what controls others, and of marks that choose a form."""
    return (
        character.isspace()
        or unicodedata.category(character) in ("Cc", "Cf", "Mn")
        or "\ufe00" <= character <= "\ufe0f"
    )


def _covers() -> list[Callable[[], frozenset[int]]]:
    """The characters of each font, those first that have most of what is written; read when they are asked for."""
    files = sorted(FONTS.glob("*.ttf"), key=lambda file: (not file.name.startswith("DejaVuSans."), file.stat().st_size))
    return [partial(_cover, file) for file in files]


@cache
def _cover(file: Path) -> frozenset[int]:
    from fontTools.ttLib import TTFont

    with TTFont(file, lazy=True) as font:
        return frozenset(font.getBestCmap())


def options() -> dict[str, object]:
    """What the rasteriser is told of fonts. It falls back to its serif family whatever was asked for, so that one is SANS here;
    who asks for a serif gets it by name from `settle`."""
    return {
        "skip_system_fonts": True, "font_dirs": [str(FONTS)], "font_family": SANS, "sans_serif_family": SANS,
        "serif_family": SANS, "monospace_family": MONO, "cursive_family": SERIF, "fantasy_family": SANS,
    }  # fmt: skip
