"""How far a settling is: told to a budget again and again, which may give it up."""

from brickseat_core.budget import UNLIMITED, Budget


class Progress:
    """Of a settling of so many ``pieces``; ``share``: of it that is done."""

    def __init__(self, budget: Budget = UNLIMITED, pieces: int = 0) -> None:
        self._budget, self._pieces = budget, pieces
        self.share = 0.0

    def reach(self, share: float) -> None:
        """So much of it is done. Raises GivenUp where the budget says so."""
        self.share = share
        self.look()

    def look(self) -> None:
        """To be called once in each round of a long loop. Raises GivenUp where the budget says so."""
        self._budget.check(round(self.share * self._pieces), self._pieces)

    def goes_on(self, done: int, total: int) -> bool:
        """As ``look``, for whoever counts what is done."""
        self.look()
        return True


SILENT = Progress()
"""Nobody asks how far it is, and it is never given up."""
