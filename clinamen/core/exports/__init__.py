"""Exports: one module each, with its options, its build, and what it cannot carry. `EXPORTS` is their registry."""

from clinamen.core.exports import layered
from clinamen.core.exports.base import EXPORTS, Export, Options, Told
from clinamen.core.exports.engine import kit
from clinamen.core.exports.web import page

__all__ = ["EXPORTS", "Export", "Options", "Told", "kit", "layered", "page"]
