"""Prep: what is done to a layer's art before it gets its depth. A recipe is a list of steps on an original.

`steps` holds one module a step; the other modules work on pixels for them; `run` runs a recipe.
"""
