"""A process that stays: what it has loaded by now is there for good, so the collector of garbage need not look through it again.

Requests leave little behind that needs a collector at all; by Python's own measure it went through all that the process knows
every few edits.
"""

import gc

from clinamen.core.prep.colour import warm_up

THRESHOLDS = (20_000, 20, 50)  # objects more than were freed; young collections an older one; older ones a whole one


def stay() -> None:
    """To be called once, before the first request."""
    warm_up()
    gc.collect()
    gc.freeze()
    gc.set_threshold(*THRESHOLDS)
