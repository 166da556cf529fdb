"""The job runner and the register of who is here: plain, in memory, and safe to ask from anywhere."""

import threading
import uuid

import pytest

from brickseat.jobs.running import Failed, Job, Jobs, Stopped
from brickseat.sets.presence import Presence

SET, OTHER = uuid.uuid4(), uuid.uuid4()


def ended(jobs: Jobs, run: object, dressed: uuid.UUID = SET) -> Job:
    over = threading.Event()
    job = jobs.start(dressed, run, lambda job: over.set() if job.state != "running" else None)  # type: ignore[arg-type]
    assert over.wait(10)
    return job


def test_a_job_ends_done_failed_or_stopped_and_keeps_no_half_outcome() -> None:
    jobs = Jobs()
    done = ended(jobs, lambda job: job.tell("half way", 0.5) and 42)
    assert (done.state, done.outcome, done.words, done.share) == ("done", 42, "half way", 0.5)

    def fails(job: Job) -> None:
        raise Failed("the jug has no contact shape")

    assert (ended(jobs, fails).state, ended(jobs, fails).problem) == ("failed", "the jug has no contact shape")

    def breaks(job: Job) -> None:
        raise ZeroDivisionError

    broken = ended(jobs, breaks)
    assert broken.state == "failed"
    assert "nothing was changed" in (broken.problem or "")

    def stops(job: Job) -> int:
        job.stop.set()
        if not job.tell("going on", 0.9):
            raise Stopped
        return 1

    stopped = ended(jobs, stops)
    assert (stopped.state, stopped.outcome) == ("stopped", None)


def test_one_job_a_set_and_none_is_seen_from_another() -> None:
    jobs = Jobs()
    go = threading.Event()
    first = jobs.start(SET, lambda job: go.wait(10), lambda job: None)
    with pytest.raises(Failed, match="under way"):
        jobs.start(SET, lambda job: None, lambda job: None)
    assert jobs.running_on(SET) is first
    assert jobs.running_on(OTHER) is None
    assert jobs.of(OTHER, first.key) is None
    elsewhere = ended(jobs, lambda job: "fine", OTHER)
    assert elsewhere.outcome == "fine"
    jobs.drop(first)
    assert first.stop.is_set()
    assert jobs.of(SET, first.key) is None
    go.set()


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
