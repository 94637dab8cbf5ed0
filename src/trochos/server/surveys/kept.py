"""Computed surveys in files, so that another process or a restart does not compute them again.

They lie under the installation's own state directory, readable by the owner alone, and only what
this installation wrote there is read. A file is named after the engine that made it: another
engine does not look at it. Together they are bounded, and the oldest goes first.
"""

from __future__ import annotations

import contextlib
import gc
import hashlib
import os
import pickle
import sys
import tempfile
from functools import cache
from pathlib import Path

from ... import core
from ...core.survey import Computed
from ...local import state_directory

BYTES = 2 << 30
"""How much all files may take."""
DEVICES = 60
"""A smaller survey is computed faster than a worker is asked."""
_DEPTH = 50_000
_BROKEN: tuple[type[Exception], ...] = (
    pickle.UnpicklingError,
    EOFError,
    ImportError,
    LookupError,
    TypeError,
    ValueError,
    AttributeError,
    OSError,
    MemoryError,
)


@cache
def engine() -> str:
    """A digest of the engine: what another one computed may be otherwise."""
    root = Path(core.__file__).parent
    digest = hashlib.sha256(sys.version.encode())
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def _folder() -> Path:
    return state_directory() / "computed"


def _path(archive: bytes) -> Path:
    return _folder() / f"{engine()}-{hashlib.sha256(archive).hexdigest()[:32]}.pickle"


def load(archive: bytes) -> Computed | None:
    """What was computed of a survey, by the bytes of its archive; None if it is not kept."""
    path = _path(archive)
    collecting = gc.isenabled()
    gc.disable()
    try:
        with path.open("rb") as stream:
            held = pickle.load(stream)
        os.utime(path)
    except FileNotFoundError:
        return None
    except _BROKEN:
        # Half a file, or one that something else wrote: it is made again.
        with contextlib.suppress(OSError):
            path.unlink()
        return None
    finally:
        if collecting:
            gc.enable()
    return held if isinstance(held, Computed) else None


def save(archive: bytes, survey: Computed) -> bool:
    """Keeps what was computed; False if there is no room for it."""
    folder = _folder()
    limit = sys.getrecursionlimit()
    sys.setrecursionlimit(max(limit, _DEPTH))
    name = None
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=folder, suffix=".part")
        with os.fdopen(handle, "wb") as stream:
            pickle.dump(survey, stream, protocol=pickle.HIGHEST_PROTOCOL)
        os.replace(name, _path(archive))
        name = None
    except (OSError, RecursionError, pickle.PicklingError):
        return False
    finally:
        sys.setrecursionlimit(limit)
        if name is not None:
            with contextlib.suppress(OSError):
                os.unlink(name)
    _bound(folder)
    return True


def drop(archive: bytes) -> None:
    """Takes away what any engine computed of a survey."""
    digest = hashlib.sha256(archive).hexdigest()[:32]
    for path in _folder().glob(f"*-{digest}.pickle"):
        with contextlib.suppress(OSError):
            path.unlink()


def _bound(folder: Path) -> None:
    """Drops what another engine left, half files of dead processes, and then the oldest."""
    held = []
    for path in folder.iterdir():
        with contextlib.suppress(OSError):
            state = path.stat()
            old = path.suffix == ".pickle" and not path.name.startswith(engine())
            half = path.suffix == ".part" and state.st_mtime < _an_hour_ago()
            if old or half:
                path.unlink()
            elif path.suffix == ".pickle":
                held.append((state.st_mtime, state.st_size, path))
    total = sum(size for _, size, _ in held)
    for _, size, path in sorted(held):
        if total <= BYTES:
            break
        with contextlib.suppress(OSError):
            path.unlink()
            total -= size


def _an_hour_ago() -> float:
    import time

    return time.time() - 3600
