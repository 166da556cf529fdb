"""Names told apart: the second and third of one name get a number behind it."""


class Names:
    """Names that are given so far. Each is found without trying all numbers again, however many are called the same."""

    def __init__(self) -> None:
        self._taken: set[str] = set()
        self._next: dict[str, int] = {}

    def of(self, wanted: str) -> str:
        """``wanted`` where it is free, else with the lowest number behind it that is: “jug”, “jug (2)”, “jug (3)”."""
        name, number = wanted, self._next.get(wanted, 2)
        while name in self._taken:
            name, number = f"{wanted} ({number})", number + 1
        if name != wanted:
            self._next[wanted] = number
        self._taken.add(name)
        return name
