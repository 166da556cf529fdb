"""What is wrong is taken away again, and then what stood on it."""

from collections.abc import Callable, Iterable

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit


def withdrawn(
    index: SceneIndex,
    keys: Iterable[str],
    tolerance: float,
    look: Callable[[], None] = lambda: None,
) -> dict[str, Fit]:
    """Take out of ``index`` those of ``keys`` that are not seated, until all that are left are; the verdicts on what went, by key.

    ``look``: called again and again meanwhile; what it raises is raised.
    """

    def goes_on(_done: int, _total: int) -> bool:
        look()
        return True

    index.judge_senses()
    staying = set(keys)
    gone: dict[str, Fit] = {}
    asked = sorted(staying)
    # What stood on one that goes may go with it: at the least one goes in each round.
    for _ in range(len(staying) + 1):
        wrong = {key: fit for key, fit in check(index, tolerance, asked, goes_on).items() if fit.faults}
        if not wrong:
            break
        boxes = index.boxes_of(wrong)
        for key in wrong:
            index.remove(key)
        staying -= wrong.keys()
        gone.update(wrong)
        asked = [key for key in index.affected_by(boxes, tolerance) if key in staying]
    return gone
