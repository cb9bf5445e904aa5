"""Pictures that are being made: what has been asked for is not asked for again, and all that wait look together."""

import asyncio
import time
from collections.abc import Callable, Iterable, Mapping

from starlette.concurrency import run_in_threadpool

from papiermappe.store.errors import StoreError

PictureFile = tuple[str, str]
"""A picture's name and its size."""

LOOK_EVERY_S = 0.015


class UnderWay:
    """Remembers for a while what has been asked for, and waits for it.

    Args:
        for_s: how long; then it is asked for again, for its job may have died.
        made: returns those of some pictures that have been made.
    """

    def __init__(self, for_s: float, made: Callable[[Iterable[PictureFile]], Mapping[PictureFile, bytes]]) -> None:
        self._for_s = for_s
        self._made = made
        self._until_s: dict[PictureFile, float] = {}
        self._waiters: dict[PictureFile, list[asyncio.Future[bytes]]] = {}
        self._looking: asyncio.Task[None] | None = None

    def add(self, pictures: Iterable[PictureFile]) -> None:
        """Note that pictures have been asked for now; what was asked for long ago is forgotten."""
        now_s = time.monotonic()
        self._until_s = {picture: until_s for picture, until_s in self._until_s.items() if until_s > now_s}
        self._until_s.update(dict.fromkeys(pictures, now_s + self._for_s))

    def __contains__(self, picture: PictureFile) -> bool:
        return self._until_s.get(picture, 0.0) > time.monotonic()

    async def wait(self, picture: PictureFile, patience_s: float) -> bytes | None:
        """Return a picture as soon as it has been made; None if that takes too long. Raises StoreError."""
        waiter = asyncio.get_running_loop().create_future()
        self._waiters.setdefault(picture, []).append(waiter)
        if self._looking is None or self._looking.done():
            self._looking = asyncio.create_task(self._look())
        try:
            return await asyncio.wait_for(waiter, patience_s)
        except TimeoutError:
            return None
        finally:
            self._waiters[picture].remove(waiter)
            if not self._waiters[picture]:
                del self._waiters[picture]

    async def _look(self) -> None:
        """Look for all that are waited for, in one go, as long as there are any."""
        while self._waiters:
            await asyncio.sleep(LOOK_EVERY_S)
            try:
                made = await run_in_threadpool(self._made, tuple(self._waiters))
            except StoreError as exc:
                for waiter in self._pending(self._waiters):
                    waiter.set_exception(exc)
                continue
            for picture, data in made.items():
                for waiter in self._pending([picture]):
                    waiter.set_result(data)

    def _pending(self, pictures: Iterable[PictureFile]) -> list[asyncio.Future[bytes]]:
        return [waiter for picture in pictures for waiter in self._waiters.get(picture, ()) if not waiter.done()]
