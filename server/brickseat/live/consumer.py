"""The WebSocket of a set: changes go out to every stage, questions of the pointer and the puck are answered.

Only the newest question counts. One that is overtaken before its turn is never computed, so the ghost
does not lag behind a queue however fast the pointer moves.
"""

import asyncio
import json
import logging
import uuid
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from asgiref.sync import sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer

from brickseat.live.pointing import BadQuestion, answer
from brickseat.live.previewing import preview
from brickseat.live.shoving import shove
from brickseat.sets.models import DressedSet
from brickseat.sets.presence import presence
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.telling import EVERY_STAGE, group_of, remember_loop
from brickseat.store.models import StoredProp
from brickseat_core.scene import Triple

LARGEST_MESSAGE = 262_144
FRAMES_AHEAD = 2
"""Frames that may be under way to a stage at once: more would only be drawn late."""
REFUSED = 4404
pointing_threads = ThreadPoolExecutor(max_workers=2, thread_name_prefix="pointing")
log = logging.getLogger(__name__)


class SetConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]
    async def connect(self) -> None:
        self.newest: dict[str, Any] | None = None
        self.asked = asyncio.Event()
        self.worker: asyncio.Task[None] | None = None
        self.frame: bytes | None = None
        self.undrawn = 0
        self.directions: dict[str, Triple] = {}
        self.stage = uuid.uuid4().hex
        self.key: uuid.UUID = self.scope["url_route"]["kwargs"]["key"]
        user = self.scope.get("user")
        if user is None or not user.is_authenticated or not await self._open(user.pk):
            await self.close(code=REFUSED)
            return
        remember_loop()
        await self.channel_layer.group_add(group_of(self.key), self.channel_name)
        await self.channel_layer.group_add(EVERY_STAGE, self.channel_name)
        await self.accept()
        live = await self._session()
        await self._send({"kind": "ready", "revision": live.snapshot.revision, "stage": self.stage})
        presence.join(self.key, self.stage, user.get_full_name() or user.get_username())
        await self._tell_presence()
        self.worker = asyncio.create_task(self._answer_newest())

    @sync_to_async
    def _open(self, user: int) -> bool:
        return DressedSet.open_to(user).filter(key=self.key).exists()

    @sync_to_async
    def _session(self) -> LiveSet:
        self.directions = {
            p.key: (p.direction[0], p.direction[1], p.direction[2]) for p in StoredProp.objects.only("key", "direction")
        }
        return sessions.of(DressedSet.objects.get(key=self.key))

    @sync_to_async
    def _warm_prop(self, key: str) -> None:
        """Bring a prop new to this set into memory, where the database may be asked."""
        dressed = DressedSet.objects.get(key=self.key)
        live = sessions.of(dressed)
        stored = StoredProp.objects.filter(key=key).first()
        user = self.scope["user"].pk
        if stored is not None and stored.owner_id in (None, user, dressed.owner_id):
            self.directions[key] = (stored.direction[0], stored.direction[1], stored.direction[2])
            live.prop(key)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        if text_data is None or len(text_data) > LARGEST_MESSAGE:
            await self._send({"kind": "error", "error": "a message is a short JSON text"})
            return
        try:
            question = json.loads(text_data)
        except ValueError:
            question = None
        if isinstance(question, dict) and question.get("tell") == "hold":
            await self._hold(question.get("keys"))
            return
        if isinstance(question, dict) and question.get("tell") == "drawn":
            self.undrawn = max(0, self.undrawn - 1)
            await self._send_frame()
            return
        if isinstance(question, dict) and question.get("tell") == "shove":
            try:
                shove(self.key, question)
            except BadQuestion as error:
                await self._send({"kind": "error", "error": str(error)})
            return
        if not isinstance(question, dict) or question.get("ask") not in ("point", "preview"):
            await self._send({"kind": "error", "error": "the message is not a question this server knows"})
            return
        self.newest = question
        self.asked.set()

    async def _hold(self, keys: Any) -> None:
        """Take hold of pieces, or of none; the answer says who else has one of them."""
        wanted = [k for k in keys if isinstance(k, str)] if isinstance(keys, list) else []
        by = presence.hold(self.key, self.stage, wanted)
        await self._send({"kind": "held", "keys": [] if by else wanted, "by": by})
        await self._tell_presence()

    async def _tell_presence(self) -> None:
        await self.channel_layer.group_send(group_of(self.key), {"type": "set.presence"})

    async def set_presence(self, event: dict[str, Any]) -> None:
        await self._send({"kind": "presence", "here": presence.records(self.key)})

    async def set_job(self, event: dict[str, Any]) -> None:
        if event["job"].get("keys"):
            # The beginning of another run: what was sent before does not count.
            self.frame, self.undrawn = None, 0
        await self._send({"kind": "job", **event["job"]})

    async def set_cast(self, event: dict[str, Any]) -> None:
        """Pieces that join a settling under way, or leave it by breaking; their rows follow in the frames."""
        await self._send({"kind": "cast", **event["cast"]})

    async def set_frame(self, event: dict[str, Any]) -> None:
        """A frame of a settling: (n, 7) float32, position and turn since the start. A stage that lags gets the newest."""
        self.frame = event["data"]
        await self._send_frame()

    async def _send_frame(self) -> None:
        """The newest frame, as long as no more than ``FRAMES_AHEAD`` of those sent are not drawn yet."""
        if self.frame is None or self.undrawn >= FRAMES_AHEAD:
            return
        data, self.frame = self.frame, None
        self.undrawn += 1
        await self.send(bytes_data=data)

    async def _answer_newest(self) -> None:
        loop = asyncio.get_running_loop()
        while True:
            await self.asked.wait()
            self.asked.clear()
            question, self.newest = self.newest, None
            if question is None:
                continue
            try:
                live = await self._live()
                prop = question.get("prop")
                if isinstance(prop, str) and prop not in live.props and not question.get("piece"):
                    await self._warm_prop(prop)
                    if prop not in live.props:
                        raise BadQuestion("that prop is not in the store")
                if question["ask"] == "preview":
                    reply = await loop.run_in_executor(pointing_threads, preview, live, question)
                    await self._send({"kind": "previewed", "n": question.get("n"), **reply})
                    continue
                reply = await loop.run_in_executor(pointing_threads, answer, live, question, self.directions)
                await self._send({"kind": "pointed", "n": question.get("n"), **reply})
            except BadQuestion as error:
                await self._send({"kind": "error", "n": question.get("n"), "error": str(error)})
            except Exception:
                log.exception("pointing failed")
                await self._send(
                    {"kind": "error", "n": question.get("n"), "error": "the server could not place it there"}
                )

    async def _live(self) -> LiveSet:
        found = sessions.kept(self.key)
        return found if found is not None else await self._session()

    async def set_changed(self, event: dict[str, Any]) -> None:
        await self._send({"kind": "changed", **event["change"]})

    async def prop_changed(self, event: dict[str, Any]) -> None:
        await self._send({"kind": "prop", "prop": event["prop"]})

    async def _send(self, message: dict[str, Any]) -> None:
        await self.send(text_data=json.dumps(message, separators=(",", ":")))

    async def disconnect(self, code: int) -> None:
        if self.worker is not None:
            self.worker.cancel()
            presence.leave(self.key, self.stage)
            await self._tell_presence()
        await self.channel_layer.group_discard(group_of(self.key), self.channel_name)
        await self.channel_layer.group_discard(EVERY_STAGE, self.channel_name)
