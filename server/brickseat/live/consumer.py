"""The WebSocket of a set: changes go out to every stage, questions of the pointer and the puck are answered.

Only the newest question counts. One that is overtaken before its turn is never computed, so the ghost
does not lag behind a queue however fast the pointer moves.
"""

import asyncio
import logging
import uuid
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from channels.consumer import get_handler_name
from channels.db import DatabaseSyncToAsync
from channels.generic.websocket import AsyncWebsocketConsumer
from django.db import DatabaseError

from brickseat.accounts.signed_in import user_of_session
from brickseat.jobs.falling import PourTo, command
from brickseat.jobs.keeping import jobs
from brickseat.jobs.telling import cast_record
from brickseat.live.known_props import MOST_LEARNT, KnownProps, Unfamiliar
from brickseat.live.messages import (
    Asked,
    CatchQuestion,
    DrawnMessage,
    EnoughMessage,
    HoldMessage,
    NotUnderstood,
    PointQuestion,
    PreviewQuestion,
    PullMessage,
    Question,
    StreamMessage,
    understood,
)
from brickseat.live.outbox import Outbox
from brickseat.live.pointing import answer, caught
from brickseat.live.previewing import preview
from brickseat.live.rate import Rate
from brickseat.sets.listening import NO_LONGER_OPEN, SIGNED_OUT, TOO_MUCH, listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.news import message
from brickseat.sets.presence import presence
from brickseat.sets.session import LiveSet, sessions
from brickseat_core.gravity.hand import Pull

LARGEST_MESSAGE = 1 << 20
"""Letters of a message: as many keys of pieces fit into it as the rules allow, 20,000 of 40 letters each."""
BROKEN = 1011
"""Something went wrong here that nobody foresaw (RFC 6455, 7.4.1). The stage comes back by itself."""
WATCH_SECONDS = 15.0
"""How often it is looked whether whoever is there is still signed in."""
pointing_threads = ThreadPoolExecutor(max_workers=2, thread_name_prefix="pointing")
previewing_threads = ThreadPoolExecutor(max_workers=2, thread_name_prefix="previewing")
"""Apart from the pointing: a preview may take a second."""
opening_threads = ThreadPoolExecutor(max_workers=4, thread_name_prefix="opening")
"""Where the database is asked and sets are loaded: one that is large does not keep others waiting."""
log = logging.getLogger(__name__)


class SetConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]
    """One open stage: its questions are answered, and it hears of everything that happens to the set."""

    async def connect(self) -> None:
        self.newest: Question | None = None
        self.asked = asyncio.Event()
        self.workers: list[asyncio.Task[None]] = []
        self.outbox: Outbox | None = None
        self.rate = Rate()
        self.stage = uuid.uuid4().hex
        self.key: uuid.UUID = self.scope["url_route"]["kwargs"]["key"]
        user = self.scope.get("user")
        signed_in = user is not None and user.is_authenticated
        if user is None or not signed_in or not await self._away(self._open_to, user.pk):
            # Only of a socket that was accepted does a browser learn why it is closed.
            await self.accept()
            await self.close(code=NO_LONGER_OPEN if signed_in else SIGNED_OUT)
            return
        self.props = KnownProps(user.pk, self.key)
        session = self.scope.get("session")
        outbox = Outbox(user.pk, (session.session_key if session else "") or "")
        await self.accept()
        # Heard from before the revision is sent: no change falls between the two.
        if not listeners.join(self.key, outbox):
            await self.close(code=TOO_MUCH)
            return
        self.outbox = outbox
        try:
            await self._begin(outbox, user)
        except Exception:
            log.exception("a stage could not be opened")
            await self.disconnect(BROKEN)
            await self.close(code=BROKEN)
        except BaseException:
            # The one who asked went away meanwhile. A stage that did not open is none: it counts against nobody.
            await self.disconnect(BROKEN)
            raise

    async def _begin(self, outbox: Outbox, user: Any) -> None:
        """Say how the set stands, and from now on whatever happens to it."""
        live = await self._away(self._session)
        # Access may have been taken away while the set was loaded.
        if not await self._away(self._open_to, user.pk):
            outbox.end(NO_LONGER_OPEN)
        outbox.hear(message("ready", {"revision": live.snapshot.revision, "stage": self.stage}))
        job = jobs.running_on(self.key)
        if job is not None and job.cast.keys:
            outbox.hear(message("cast", cast_record(job, job.cast)))
        presence.join(self.key, self.stage, user.get_full_name() or user.get_username())
        self._broadcast_presence()
        self.workers = [
            asyncio.create_task(self._watch(outbox)),
            asyncio.create_task(self._answer_newest()),
            asyncio.create_task(outbox.send(self._send_text, self._send_bytes, self._close)),
        ]

    async def dispatch(self, message: dict[str, Any]) -> None:
        """As the base class does, but for a hop to the one thread that all sockets share, to close connections to the
        database: this consumer asks the database in threads that close their own."""
        await getattr(self, get_handler_name(message))(message)

    async def _away(self, run: Any, *args: Any) -> Any:
        """Run what asks the database, away from the loop."""
        return await DatabaseSyncToAsync(run, thread_sensitive=False, executor=opening_threads)(*args)

    def _open_to(self, user: int) -> bool:
        return DressedSet.open_to(user).filter(key=self.key).exists()

    def _session(self) -> LiveSet:
        self.props.learn_directions()
        return sessions.of(DressedSet.objects.get(key=self.key))

    async def _watch(self, outbox: Outbox) -> None:
        """Close when whoever is there is no longer signed in, or the set no longer theirs; what another process did is seen so, too."""
        while True:
            await asyncio.sleep(WATCH_SECONDS)
            try:
                here = await self._away(self._is_still_here, outbox)
            except DatabaseError:
                log.exception("whether somebody is still signed in could not be asked")
                continue
            if not here:
                outbox.end(SIGNED_OUT)
                return

    def _is_still_here(self, outbox: Outbox) -> bool:
        user = user_of_session(outbox.session)
        return user is not None and user.pk == outbox.user and self._open_to(user.pk)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        if self.rate.is_flood():
            if self.outbox is not None:
                self.outbox.end(TOO_MUCH)
            return
        if text_data is None or len(text_data) > LARGEST_MESSAGE:
            self._refuse(None, "a message is a short JSON text")
            return
        try:
            asked = understood(text_data)
        except NotUnderstood as problem:
            self._refuse(problem.n, str(problem))
            return
        if isinstance(asked, PointQuestion | PreviewQuestion | CatchQuestion):
            self.newest = asked
            self.asked.set()
        else:
            self._act(asked)

    def _act(self, asked: Asked) -> None:
        """Do what needs no computing."""
        match asked:
            case HoldMessage():
                by = presence.hold(self.key, self.stage, asked.keys)
                self._hear(message("held", {"keys": [] if by else asked.keys, "by": by}))
                self._broadcast_presence()
            case DrawnMessage():
                if self.outbox is not None:
                    self.outbox.drawn(asked.job)
            case PullMessage():
                command(self.key, asked.job, Pull(tuple(asked.keys), asked.to, asked.strength))
            case StreamMessage():
                command(self.key, asked.job, PourTo(np.array(asked.to) if asked.to else None))
            case EnoughMessage():
                command(self.key, asked.job, "enough")

    def _hear(self, text: str) -> None:
        if self.outbox is not None:
            self.outbox.hear(text)

    def _refuse(self, n: int | None, error: str, ties: tuple[str, ...] = ()) -> None:
        self._hear(message("refused", {"n": n, "error": error, "ties": list(ties)}))

    def _broadcast_presence(self) -> None:
        listeners.broadcast(self.key, message("presence", {"here": presence.records(self.key)}))

    async def _answer_newest(self) -> None:
        while True:
            await self.asked.wait()
            self.asked.clear()
            question, self.newest = self.newest, None
            if question is None:
                continue
            try:
                self._hear(await self._answer(question))
            except NotUnderstood as problem:
                self._refuse(question.n, str(problem), problem.ties)
            except Exception:
                log.exception("a question failed")
                self._refuse(question.n, "the server could not work that out; try once more")

    async def _answer(self, question: Question) -> str:
        """The answer as it goes over the line. Raises NotUnderstood."""
        for _ in range(MOST_LEARNT):
            # Asked for anew each time: what was learnt is learnt by the session that is kept now.
            live = sessions.kept(self.key) or await self._away(self._session)
            try:
                return await self._answer_by(live, question)
            except Unfamiliar as new:
                # Learnt away from the threads that compute: there the database is not asked.
                if not await self._away(self.props.learn, new.key):
                    break
        raise NotUnderstood("prop: there is none of this key in the store", question.n)

    async def _answer_by(self, live: LiveSet, question: Question) -> str:
        """The same by what is in memory. Raises NotUnderstood and Unfamiliar."""
        loop = asyncio.get_running_loop()
        if isinstance(question, PreviewQuestion):
            record = await loop.run_in_executor(previewing_threads, preview, live, question, self.props)
            return message("previewed", {"n": question.n, **record})
        if isinstance(question, CatchQuestion):
            record = await loop.run_in_executor(pointing_threads, caught, live, question)
            return message("caught", {"n": question.n, **record})
        record = await loop.run_in_executor(pointing_threads, answer, live, question, self.props)
        return message("pointed", {"n": question.n, **record})

    async def _send_text(self, text: str) -> None:
        await self.send(text_data=text)

    async def _send_bytes(self, data: bytes) -> None:
        await self.send(bytes_data=data)

    async def _close(self, code: int) -> None:
        await self.close(code=code)

    async def disconnect(self, code: int) -> None:
        if self.outbox is None:
            return
        listeners.leave(self.key, self.outbox)
        self.outbox = None
        for worker in self.workers:
            worker.cancel()
        presence.leave(self.key, self.stage)
        self._broadcast_presence()
