"""A folder that a copier drops files into: which files are whole, and where they go when they are done with.

A file counts as whole when neither its size nor its time has changed for some seconds: while it is being written, every
piece changes both. Where it was not whole after all, it has changed when it is looked at again, and is another file.
"""

import os
import stat
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

DONE, FAILED = "done", "failed"
QUIET_S = 2.0
MAX_DEPTH = 6
MAX_SEEN = 20_000
UNFINISHED = (".part", ".tmp", ".crdownload", ".filepart")


class FoundFile(NamedTuple):
    """A file in the folder, as it was when it was seen."""

    path: str
    """Within the folder."""
    byte_size: int
    mtime_ns: int


class DropFolder:
    """Looks at a folder again and again, and remembers what it saw.

    Args:
        folder: the folder.
        quiet_s: how long a file must have been unchanged to count as whole.
    """

    def __init__(self, folder: Path, quiet_s: float = QUIET_S) -> None:
        self._folder = folder
        self._quiet_s = quiet_s
        self._since: dict[FoundFile, float] = {}

    def whole(self, now_s: float) -> list[FoundFile]:
        """Return the files that are whole, those written first first. Raises OSError where the folder is not there.

        Args:
            now_s: any clock that only goes forwards.
        """
        seen = {file: self._since.get(file, now_s) for file in files_in(self._folder)}
        self._since = seen
        quiet = [file for file, since_s in seen.items() if now_s - since_s >= self._quiet_s]
        return sorted(quiet, key=lambda file: (file.mtime_ns, file.path))


def files_in(folder: Path) -> Iterator[FoundFile]:
    """Yield the files below a folder; hidden and unfinished ones, links, and what is done with are left out."""
    count = 0
    for root, names, files in os.walk(folder, onerror=_only_below(folder)):
        depth = len(Path(root).relative_to(folder).parts)
        names[:] = [name for name in names if not _is_left_alone(name, depth)] if depth < MAX_DEPTH else []
        for name in files:
            path = Path(root) / name
            if name.startswith((".", "~")) or name.lower().endswith(UNFINISHED):
                continue
            try:
                about = path.lstat()
            except OSError:
                continue  # it has gone since
            if stat.S_ISREG(about.st_mode):
                count += 1
                if count > MAX_SEEN:
                    return
                yield FoundFile(str(path.relative_to(folder)), about.st_size, about.st_mtime_ns)


def _is_left_alone(name: str, depth: int) -> bool:
    return name.startswith(".") or (depth == 0 and name in {DONE, FAILED})


def _only_below(folder: Path) -> Callable[[OSError], None]:
    """Return what raises an error about the folder itself, and lets those about folders below it pass."""

    def raised(exc: OSError) -> None:
        if exc.filename == str(folder):
            raise exc

    return raised


def is_as_seen(folder: Path, file: FoundFile) -> bool:
    """Return whether a file is still there and has not changed."""
    try:
        about = (folder / file.path).lstat()
    except OSError:
        return False
    return stat.S_ISREG(about.st_mode) and (about.st_size, about.st_mtime_ns) == (file.byte_size, file.mtime_ns)


def put_away(folder: Path, file: FoundFile, why_failed: str | None) -> None:
    """Move a file to the folder of what is done, or of what failed with the reason beside it. Raises OSError."""
    there = folder / (DONE if why_failed is None else FAILED) / Path(file.path).parent
    there.mkdir(parents=True, exist_ok=True)
    target = _free(there, Path(file.path).name)
    if why_failed is not None:
        target.with_name(f"{target.name}.txt").write_text(f"{why_failed}\n", encoding="utf-8")
    (folder / file.path).rename(target)


def _free(folder: Path, name: str) -> Path:
    target, number = folder / name, 1
    while target.exists():
        number += 1
        target = folder / f"{Path(name).stem} ({number}){Path(name).suffix}"
    return target
