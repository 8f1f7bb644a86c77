"""Exports: one module each, with its options, its build, and what it cannot carry. `EXPORTS` is their registry."""

from clinamen.core.exports.base import EXPORTS, Export, Options, Told
from clinamen.core.exports.elements import ElementsExport
from clinamen.core.exports.engine.kit import EngineKit
from clinamen.core.exports.film import FilmExport
from clinamen.core.exports.layered import LayeredFile
from clinamen.core.exports.sheets import SheetsExport
from clinamen.core.exports.web.page import WebPage

for _export in (WebPage(), EngineKit(), FilmExport(), SheetsExport(), ElementsExport(), LayeredFile()):
    EXPORTS.add(_export.id, _export)

__all__ = ["EXPORTS", "Export", "Options", "Told"]
