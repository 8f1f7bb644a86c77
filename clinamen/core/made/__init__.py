"""Made art: art that is computed from a few numbers, the same on every machine, at any size that is asked for."""
