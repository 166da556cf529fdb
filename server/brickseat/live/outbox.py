"""What a stage has not been sent yet: all news in order, and of the frames of a job the newest one."""

import asyncio
import threading
from collections import deque
from collections.abc import Awaitable, Callable

from brickseat.sets.listening import FELL_BEHIND, Frame, News

MOST_WAITING = 64 * 1024 * 1024
"""Bytes of news that may wait for one stage. One that falls further behind is closed, comes back and loads the set anew."""
FRAMES_AHEAD = 2
"""Frames that may be under way to a stage at once: more would only be drawn late."""

SendText = Callable[[str], Awaitable[None]]
SendFrame = Callable[[bytes], Awaitable[None]]
Close = Callable[[int], Awaitable[None]]


class Outbox:
    """One listener. Its news may come from any thread; they are sent by ``send`` on the loop it was made on."""

    def __init__(self, user: int, session: str) -> None:
        self.user, self.session = user, session
        self._loop = asyncio.get_running_loop()
        self._thread = threading.get_ident()
        self._waiting: deque[str] = deque()
        self._bytes = 0
        self._frame: Frame | None = None
        self._under_way: tuple[str, int] = ("", 0)
        self._code: int | None = None
        self._some = asyncio.Event()

    def hear(self, news: News) -> None:
        """Send this when its turn comes."""
        if threading.get_ident() == self._thread:
            self._put(news)
        elif not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._put, news)

    def end(self, code: int) -> None:
        """Send nothing more, and close."""
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._end, code)

    def drawn(self, job: str) -> None:
        """A frame was drawn. Called on the loop."""
        at, count = self._under_way
        if at == job:
            self._under_way = (job, max(0, count - 1))
            self._some.set()

    def _put(self, news: News) -> None:
        if isinstance(news, Frame):
            self._frame = news
        else:
            self._waiting.append(news)
            self._bytes += len(news)
            if self._bytes > MOST_WAITING:
                self._end(FELL_BEHIND)
        self._some.set()

    def _end(self, code: int) -> None:
        self._code = self._code or code
        self._waiting.clear()
        self._bytes, self._frame = 0, None
        self._some.set()

    def _next_frame(self) -> Frame | None:
        frame = self._frame
        if frame is None:
            return None
        job, count = self._under_way
        # Of another job than before: what was sent of that one does not count.
        ahead = count if job == frame.job else 0
        if ahead >= FRAMES_AHEAD:
            return None
        self._frame, self._under_way = None, (frame.job, ahead + 1)
        return frame

    async def send(self, text: SendText, frame: SendFrame, close: Close) -> None:
        """Send what comes until it is to be closed."""
        while True:
            await self._some.wait()
            self._some.clear()
            while self._code is None and self._waiting:
                news = self._waiting.popleft()
                self._bytes -= len(news)
                await text(news)
            if self._code is not None:
                await close(self._code)
                return
            newest = self._next_frame()
            if newest is not None:
                await frame(newest.data)
