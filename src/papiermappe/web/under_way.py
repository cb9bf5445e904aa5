"""Pictures that are being made already: asked for once more, they are only waited for."""

import time
from collections.abc import Iterable

PictureFile = tuple[str, str]
"""A picture's name and its size."""


class UnderWay:
    """Remembers for a while what has been asked for.

    Args:
        for_s: how long; then it is asked for again, for its job may have died.
    """

    def __init__(self, for_s: float) -> None:
        self._for_s = for_s
        self._until_s: dict[PictureFile, float] = {}

    def add(self, pictures: Iterable[PictureFile]) -> None:
        """Note that pictures have been asked for now; what was asked for long ago is forgotten."""
        now_s = time.monotonic()
        self._until_s = {picture: until_s for picture, until_s in self._until_s.items() if until_s > now_s}
        self._until_s.update(dict.fromkeys(pictures, now_s + self._for_s))

    def __contains__(self, picture: PictureFile) -> bool:
        return self._until_s.get(picture, 0.0) > time.monotonic()
