"""What was found and is meant to be so: a finding by name, with a note, up to the amount it had then."""

from pydantic import Field

from clinamen.core.parts import Part

WORSE = 1.05  # of the amount that was accepted: what is worse than that is found again


class Accepted(Part):
    """`finding`: check, layer and side, as `prove` names it; `amount`: how much of it was accepted."""

    finding: str = Field(min_length=1, max_length=300)
    amount: float = Field(ge=0, allow_inf_nan=False)
    note: str = Field(default="", max_length=500)

    def holds(self, finding: str, amount: float) -> bool:
        """True of a finding of this name that has not become worse."""
        return finding == self.finding and amount <= self.amount * WORSE
