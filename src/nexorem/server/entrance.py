"""The way in from the network. Heads and bodies are read and events are written without a thread each: only what computes has one."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import Awaitable, Callable, Iterator, MutableMapping
from contextlib import contextmanager, suppress
from typing import Any

import h11
from a2wsgi import WSGIMiddleware
from uvicorn.protocols.http.h11_impl import H11Protocol

from nexorem.core.diagnostics import Diagnostic
from nexorem.server.callers import CALLER, Caller
from nexorem.server.events import Events
from nexorem.server.observed import HEADER, new_id
from nexorem.server.problems import PROBLEM_JSON, document

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]

HEAD_SECONDS = 20.0  # for a head to come whole
BODY_SECONDS = 20.0  # between two parts of a body
WHOLE_SECONDS = 120.0  # for a body that is read before anything is done
WRITE_SECONDS = 60.0  # for a part of an answer to be taken
BEAT_SECONDS = 15.0
MOST_BODY = 16 * 1024**2  # bytes of a body that is not a file
MOST_HEAD = 64 * 1024
PARTS_AHEAD = 64  # of an answer, that wait to be taken
THREADS = {"quick": 24, "slow": 64, "files": 16}
FOLLOWED = re.compile(r"/api/models/(\d{1,9})/events")
QUICK = re.compile(
    r"/(?!api/).*|/api/models|/api/models/\d+(/(analysis|history|checks|coverage|proofs|releases|events|edits|undo|redo|uses"
    r"|connections(/asked)?|loads|schedules))?"
)


class Entrance:
    """An ASGI application before a WSGI one. Small requests have threads of their own, so that large ones do not keep them waiting."""

    def __init__(self, app: Any, events: Events) -> None:
        self.pools = {name: WSGIMiddleware(app, workers=count, send_queue_size=PARTS_AHEAD) for name, count in THREADS.items()}
        self.events = events
        self._windows: set[asyncio.Queue[str]] = set()
        self._clock: asyncio.Task[None] | None = None

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        """Answers a request."""
        if scope["type"] != "http":
            return
        caller = Caller()
        scope = {**scope, CALLER: caller}
        followed = FOLLOWED.fullmatch(scope["path"]) if scope["method"] == "GET" else None
        outgoing = Outgoing(send)
        if _is_file(scope):
            await self._ask("files", scope, Incoming(receive, caller), outgoing)
            return
        body = await _whole(receive)
        if isinstance(body, int):
            await _refused(outgoing, body)
            return
        scope["headers"] = [*((k, v) for k, v in scope["headers"] if k not in (b"content-length", b"transfer-encoding")), _length(body)]
        leaving = asyncio.create_task(_leaving(receive, caller, outgoing))
        try:
            if followed:
                await self._follow(int(followed[1]), scope, body, outgoing, leaving)
            else:
                pool = "quick" if QUICK.fullmatch(scope["path"]) else "slow"
                await self._ask(pool, scope, _given(body), outgoing)
        finally:
            leaving.cancel()

    async def _ask(self, pool: str, scope: Message, receive: Receive, outgoing: Outgoing) -> None:
        await self.pools[pool](scope, receive, outgoing)  # type: ignore[arg-type]

    async def _follow(self, model_id: int, scope: Message, body: bytes, outgoing: Outgoing, leaving: asyncio.Task[None]) -> None:
        """The answer of an address of events is their beginning; what is new follows it until the caller leaves."""
        loop = asyncio.get_running_loop()
        news: asyncio.Queue[str] = asyncio.Queue()
        with self.events.followed(model_id, lambda what: loop.call_soon_threadsafe(news.put_nowait, what)):
            await loop.run_in_executor(None, self.events.wait)
            outgoing.goes_on = True
            await self._ask("quick", scope, _given(body), outgoing)
            if not outgoing.goes_on:
                return
            leaving.add_done_callback(lambda _: news.put_nowait(""))
            with self._beating(news):
                while (text := await news.get()) and not outgoing.is_over:
                    await outgoing({"type": "http.response.body", "body": text.encode(), "more_body": True})

    @contextmanager
    def _beating(self, news: asyncio.Queue[str]) -> Iterator[None]:
        """While it is entered, something is said now and then: one clock for all windows, as each edit wakes all of them."""
        self._windows.add(news)
        if self._clock is None or self._clock.done():
            self._clock = asyncio.create_task(self._beat())
        try:
            yield
        finally:
            self._windows.discard(news)

    async def _beat(self) -> None:
        while self._windows:
            await asyncio.sleep(BEAT_SECONDS)
            for news in self._windows:
                news.put_nowait(": still here\n\n")


class Outgoing:
    """Sends an answer. One that nobody takes is let go of, and what makes it is not kept waiting."""

    def __init__(self, send: Send) -> None:
        self.send = send
        self.goes_on = False  # asked for at first; then whether the answer is a stream, which is not over when its beginning is
        self.is_over = False

    async def __call__(self, message: Message) -> None:
        """Sends a part."""
        if self.is_over:
            return
        if message["type"] == "http.response.start" and self.goes_on:
            kinds = [v for k, v in message["headers"] if k == b"content-type"]
            self.goes_on = message["status"] == 200 and any(k.startswith(b"text/event-stream") for k in kinds)
            if self.goes_on:
                message["headers"] = [(k, v) for k, v in message["headers"] if k != b"content-length"]
        elif message["type"] == "http.response.body" and self.goes_on:
            message["more_body"] = True
        try:
            async with asyncio.timeout(WRITE_SECONDS):
                await self.send(message)
        except (TimeoutError, OSError):
            self.is_over = True
        if message["type"] == "http.response.body" and not message.get("more_body"):
            self.is_over = True


class Incoming:
    """A body that is read while it comes: a file. One that does not go on is over, as if its sender had gone."""

    def __init__(self, receive: Receive, caller: Caller) -> None:
        self.receive, self.caller = receive, caller

    async def __call__(self) -> Message:
        """The next part."""
        try:
            message = await asyncio.wait_for(self.receive(), BODY_SECONDS)
        except TimeoutError:
            message = {"type": "http.disconnect"}
        if message["type"] == "http.disconnect":
            await _left(self.caller)
        return message


def _is_file(scope: Message) -> bool:
    """Whether a body is a file, or several: of any kind but JSON."""
    headers = dict(scope["headers"])
    if scope["method"] in ("GET", "HEAD", "DELETE", "OPTIONS"):
        return False
    kind = headers.get(b"content-type", b"").lower()
    return bool(kind) and not kind.startswith(b"application/json")


async def _whole(receive: Receive) -> bytes | int:
    """A body, read to its end; the status of a refusal where it is too large or too slow."""
    parts: list[bytes] = []
    size = 0
    try:
        async with asyncio.timeout(WHOLE_SECONDS):
            while True:
                message = await asyncio.wait_for(receive(), BODY_SECONDS)
                if message["type"] == "http.disconnect":
                    return 408
                parts.append(message.get("body", b""))
                size += len(parts[-1])
                if size > MOST_BODY:
                    return 413
                if not message.get("more_body"):
                    return b"".join(parts)
    except TimeoutError:
        return 408


def _length(body: bytes) -> tuple[bytes, bytes]:
    return b"content-length", str(len(body)).encode()


def _given(body: bytes) -> Receive:
    """A body that is there."""

    async def receive() -> Message:
        return {"type": "http.request", "body": body, "more_body": False}

    return receive


async def _leaving(receive: Receive, caller: Caller, outgoing: Outgoing) -> None:
    """Ends when the caller leaves."""
    while (await receive())["type"] != "http.disconnect":
        pass
    if not outgoing.is_over:
        await _left(caller)


async def _left(caller: Caller) -> None:
    """Ends what is done for a caller: beside the loop, for a database may have to be told."""
    await asyncio.get_running_loop().run_in_executor(None, caller.leave)


REFUSALS = {
    408: ("slow", "The request did not come.", "It was begun and not gone on with.", "Send it again."),
    413: ("limit_body", "The request is too large.", f"{MOST_BODY // 1024**2} MB may be sent at once.", "Send less, or send it as a file."),
}


async def _refused(outgoing: Outgoing, status: int) -> None:
    """A problem document, and the end of the connection: what is left of the request is not read."""
    kind, title, detail, mend = REFUSALS[status]
    request_id = new_id()
    errors = [Diagnostic(kind, detail, hint=mend).as_json()]
    body = json.dumps(document(status, kind, title, detail, request_id, errors=errors)).encode()
    kind_of_body = b"content-type", PROBLEM_JSON.encode()
    headers = [kind_of_body, (HEADER.lower().encode(), request_id.encode()), _length(body), (b"connection", b"close")]
    with suppress(RuntimeError):  # the other end has closed
        await outgoing({"type": "http.response.start", "status": status, "headers": headers})
        await outgoing({"type": "http.response.body", "body": body, "more_body": False})


class Patient(H11Protocol):
    """HTTP/1.1 whose patience with half a head ends."""

    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """A head is awaited."""
        super().connection_made(transport)
        self._await_head()

    def data_received(self, data: bytes) -> None:
        """Something of a head or a body."""
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._stop_waiting()
        elif self._late is None and self.conn.trailing_data[0]:
            self._await_head()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing is awaited any more."""
        self._stop_waiting()
        super().connection_lost(exc)

    def _await_head(self) -> None:
        self._late = self.loop.call_later(HEAD_SECONDS, self.transport.close)

    def _stop_waiting(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None
