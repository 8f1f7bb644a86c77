"""Prep: what is done to a layer's art before it gets its depth. A recipe is a list of steps on an original.

`steps` says what a recipe may hold, the other modules do the work, each a pure function from pixels to pixels; `run`
runs a recipe. A new step is a model in `steps` and a function in a module of its own that `run` imports.
"""
