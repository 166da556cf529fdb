"""The job runner and the register of who is here: plain, in memory, and safe to ask from anywhere."""

import threading
import uuid

import pytest

from brickseat.jobs import running
from brickseat.jobs.outcome import Outcome
from brickseat.jobs.running import Failed, Job, Jobs, Stopped
from brickseat.sets.presence import Presence

SET, OTHER = uuid.uuid4(), uuid.uuid4()


def of_seed(seed: int) -> Outcome:
    return Outcome(seed, 0.0, 0.0, [])


def ended(jobs: Jobs, run: object, dressed: uuid.UUID = SET) -> Job:
    over = threading.Event()
    job = jobs.start(dressed, run, lambda job: over.set() if job.state != "running" else None)  # type: ignore[arg-type]
    assert over.wait(10)
    return job


def test_a_job_ends_done_failed_or_stopped_and_keeps_no_half_outcome() -> None:
    jobs = Jobs()
    done = ended(jobs, lambda job: [of_seed(int(job.on_progress("trying", 0.5, 2, 4)))])
    assert (done.state, done.outcomes, done.phase, done.share) == ("done", [of_seed(1)], "trying", 0.5)
    assert (done.count, done.total) == (2, 4)

    def fails(job: Job) -> None:
        raise Failed("the jug has no contact shape")

    assert (ended(jobs, fails).state, ended(jobs, fails).problem) == ("failed", "the jug has no contact shape")

    def breaks(job: Job) -> None:
        raise ZeroDivisionError

    broken = ended(jobs, breaks)
    assert broken.state == "failed"
    assert "nothing was changed" in (broken.problem or "")

    def stops(job: Job) -> list[Outcome]:
        job.stop.set()
        if not job.on_progress("settling", 0.9):
            raise Stopped
        return [of_seed(0)]

    stopped = ended(jobs, stops)
    assert (stopped.state, stopped.outcomes) == ("stopped", [])
    late = ended(jobs, lambda job: [of_seed(1)] if job.stop.set() is None else [])
    assert (late.state, late.outcomes) == ("stopped", []), "what came of a job that was stopped is not wanted"


class TornShelf(running.NoShelf):
    """From which nothing can be taken."""

    def drop(self, job: Job) -> None:
        raise OSError("the disk is gone")


def test_a_stopped_job_ends_even_where_it_cannot_be_taken_off_the_shelf() -> None:
    jobs = Jobs(TornShelf())

    def stops(job: Job) -> list[Outcome]:
        job.stop.set()
        raise Stopped

    assert ended(jobs, stops).state == "stopped"
    assert ended(jobs, lambda job: [of_seed(1)]).state == "done", "the next one begins"


def test_one_job_a_set_and_none_is_seen_from_another() -> None:
    jobs = Jobs()
    go = threading.Event()
    first = jobs.start(SET, lambda job: [of_seed(0)] if go.wait(10) else [], lambda job: None)
    with pytest.raises(Failed, match="under way"):
        jobs.start(SET, lambda job: [], lambda job: None)
    assert jobs.running_on(SET) is first
    assert jobs.running_on(OTHER) is None
    assert jobs.of(OTHER, first.key) is None
    elsewhere = ended(jobs, lambda job: [of_seed(3)], OTHER)
    assert elsewhere.outcomes == [of_seed(3)]
    assert jobs.on(OTHER) == [elsewhere]
    jobs.drop(first)
    assert first.stop.is_set()
    assert jobs.of(SET, first.key) is None
    assert jobs.on(SET) == []
    go.set()


def test_a_stopped_job_keeps_its_place_until_its_workers_are_free(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(running, "MOST_AT_ONCE", 1)
    jobs = Jobs()
    free, begun = threading.Event(), threading.Event()
    order: list[str] = []

    def lingers(job: Job) -> list[Outcome]:
        begun.set()
        assert free.wait(10)
        order.append("workers free")
        raise Stopped

    def follows(job: Job) -> list[Outcome]:
        order.append("next begins")
        return []

    first = jobs.start(SET, lingers, lambda job: None)
    assert begun.wait(10)
    jobs.drop(first)
    over = threading.Event()
    second = jobs.start(SET, follows, lambda job: over.set() if job.state != "running" else None)
    assert (second.state, second.phase) == ("running", "waiting")
    waits = jobs.start(OTHER, follows, lambda job: None)
    jobs.drop(waits)
    free.set()
    assert over.wait(10)
    assert order[:2] == ["workers free", "next begins"]
    assert jobs.running_on(SET) is None


def test_presence_numbers_its_namesakes_and_lets_go_of_what_leaves() -> None:
    here = Presence()
    here.join(SET, "a", "Wren")
    here.join(SET, "b", "Wren")
    here.join(OTHER, "c", "Tam")
    assert [r["name"] for r in here.records(SET)] == ["Wren", "Wren (2)"]
    assert here.hold(SET, "a", ["jar", "mug"]) is None
    assert here.hold(SET, "b", ["mug", "bowl"]) == "Wren"
    assert here.holder(SET, "b", ["bowl"]) is None, "a refused hold holds nothing"
    assert here.holder(SET, "a", ["jar"]) is None, "nobody is kept from their own"
    assert here.hold(SET, "a", ["jar"]) is None
    assert here.hold(SET, "b", ["mug"]) is None, "a new hold lets go of the old one"
    here.leave(SET, "a")
    assert here.holder(SET, "b", ["jar"]) is None
    assert here.hold(SET, "a", ["mug"]) is None
    assert [r["holding"] for r in here.records(SET)] == [["mug"]]
    here.leave(SET, "b")
    assert here.records(SET) == []
