"""Prep steps on art, one module each: pure functions from pixels to pixels."""
