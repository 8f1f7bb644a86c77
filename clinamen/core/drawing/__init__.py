"""Drawings of a scene as finished geometry: plan and section, ladder, fan. Templates only write them out as SVG."""
