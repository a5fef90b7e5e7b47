"""Reading and writing files so that nothing half-written ever stands under the final name, and nothing odd is read.

A file is written in a folder of its own beside its place, which a lock holds while its program lives; what a killed
program left behind is known by its free lock, and goes with the next start, save or build there.

"""

from __future__ import annotations

import errno
import fcntl
import hashlib
import os
import shutil
import stat
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ..errors import GelandeError

#: Beginning and end of the names of folders in which files are being written.
PART_HEAD, PART_TAIL = ".gelande-", ".part"


class Claim:
    """A lock on a folder that ends with the program, however it ends. Raises BlockingIOError when somebody else has
    it."""

    def __init__(self, folder: Path, wait: bool = False) -> None:
        self._handle = os.open(folder, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
        except BlockingIOError:
            os.close(self._handle)
            raise
        except OSError:
            pass  # a file system without locks: whoever looks cannot lock either, and leaves the folder alone for a day

    def close(self) -> None:
        """Lets go of the folder."""
        os.close(self._handle)


def unclaimed(folder: Path) -> bool:
    """True when no living program holds the folder's lock."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return True
    except BlockingIOError:
        return False
    except OSError:  # a file system without locks: what nobody touched for a day belongs to nobody
        return time.time() - os.fstat(handle).st_mtime > 86_400
    finally:
        os.close(handle)


def sweep(folder: Path) -> None:
    """Removes what killed programs left half-written in a folder."""
    try:
        left = [
            e.path
            for e in os.scandir(folder)
            if e.name.startswith(PART_HEAD) and e.name.endswith(PART_TAIL) and e.is_dir(follow_symlinks=False)
        ]
    except OSError:
        return
    for path in left:
        if unclaimed(Path(path)):
            shutil.rmtree(path, ignore_errors=True)


def _workplace(folder: Path) -> tuple[Path, Claim]:
    """A locked folder to write in. Somebody who sweeps may take it between its making and its lock: then another
    one is made."""
    while True:
        place = Path(tempfile.mkdtemp(prefix=PART_HEAD, suffix=PART_TAIL, dir=folder))
        try:
            claim = Claim(place, wait=True)
        except FileNotFoundError:
            continue
        if place.exists():
            return place, claim
        claim.close()


def _mode_for(target: Path) -> int:
    """The mode that a file is to have: that which it has, or the user's usual one. Raises PermissionError for a
    file that may not be written, and OSError for what is no file."""
    try:
        found = target.lstat()
        if stat.S_ISLNK(found.st_mode):  # what it leads to is not written: it goes
            raise FileNotFoundError
    except FileNotFoundError:
        mask = os.umask(0o022)
        os.umask(mask)
        return 0o666 & ~mask
    if not stat.S_ISREG(found.st_mode):
        raise (
            IsADirectoryError(errno.EISDIR, "")
            if stat.S_ISDIR(found.st_mode)
            else OSError(errno.EINVAL, "it is not a regular file")
        )
    if not found.st_mode & 0o222 or not os.access(target, os.W_OK):
        raise ReadOnly(errno.EACCES, "the file is read-only")
    return stat.S_IMODE(found.st_mode)


class ReadOnly(PermissionError):
    """A file that is protected against writing."""


def check_name(path: Path) -> None:
    """Raises OSError when a path is not UTF-8: what reads and writes files here takes no other."""
    try:
        os.path.abspath(path).encode()
    except UnicodeEncodeError:
        raise OSError(errno.EILSEQ, "its name is not UTF-8") from None


def write_whole(path: Path, write: Callable[[Path], None], folders: bool = True, follow: bool = True) -> None:
    """Calls write(temporary path) beside the target, syncs the file and renames it over path. folders: makes those
    that are missing; follow: where a link stands, writes what it leads to, instead of putting a file in its place.

    Whatever goes wrong, the temporary file is removed and what stood under path before is untouched. A file keeps
    its mode; a link stays, and what it leads to is written; a read-only file is not. Raises OSError."""
    target = Path(os.path.realpath(path) if follow else path)
    check_name(target)
    if folders:
        target.parent.mkdir(parents=True, exist_ok=True)
    mode = _mode_for(target)
    place, claim = _workplace(target.parent)
    temporary = place / target.name
    try:
        write(temporary)
        with open(temporary, "rb") as done:
            os.fsync(done.fileno())
        os.chmod(temporary, mode)
        os.replace(temporary, target)
        sync_folder(target.parent)
    finally:
        shutil.rmtree(place, ignore_errors=True)
        claim.close()


def write_several(folder: Path, names: list[str], write: Callable[[Path], None]) -> None:
    """Calls write(folder to write in), which makes files of these names; syncs them and renames each into the folder,
    the first one last, so that it is never there without the others. Whatever goes wrong, nothing half-written is left.
    Links are never followed: they go. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    modes = [_mode_for(folder / name) for name in names]
    place, claim = _workplace(folder)
    try:
        write(place)
        for name, mode in zip(names, modes):
            with open(place / name, "rb") as done:
                os.fsync(done.fileno())
            os.chmod(place / name, mode)
        for name in reversed(names):
            os.replace(place / name, folder / name)
        sync_folder(folder)
    finally:
        shutil.rmtree(place, ignore_errors=True)
        claim.close()


def sync_folder(folder: Path) -> None:
    """Makes a rename in this folder durable."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_text(path: Path, text: str, folders: bool = True, follow: bool = True) -> None:
    """Writes a text file whole or not at all. folders, follow: as of write_whole."""

    def write(temporary: Path) -> None:
        temporary.write_bytes(text.encode("utf-8", "replace"))

    write_whole(path, write, folders, follow)


def open_regular(path: Path, most: int):
    """A regular file opened for reading bytes. Pipes and devices, which could wait or run for ever, and files of
    more than ``most`` bytes are refused with a GelandeError whose text is a clause; other trouble raises OSError."""
    check_name(path)
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    found = os.fstat(handle)
    if stat.S_ISDIR(found.st_mode):
        os.close(handle)
        raise IsADirectoryError(errno.EISDIR, "")
    if not stat.S_ISREG(found.st_mode):
        os.close(handle)
        raise GelandeError("it is not a regular file")
    if found.st_size > most:
        os.close(handle)
        raise GelandeError(f"it has {found.st_size / 1e6:.0f} MB, and at most {most / 1e6:.0f} MB are read")
    return os.fdopen(handle, "rb")


def read_bytes(path: Path, most: int) -> bytes:
    """All of a regular file. Raises as open_regular does."""
    with open_regular(path, most) as file:
        data = file.read(most + 1)  # it may have grown
    if len(data) > most:
        raise GelandeError(f"it has more than {most / 1e6:.0f} MB")
    return data


def stamp(path: Path) -> tuple | None:
    """Stamp of a file's state: device, number, size and time of change; None when it is not
    there."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns


def digest(path: Path) -> str:
    """SHA-256 of a regular file, or "" when it cannot be read."""
    try:
        with open_regular(path, 1 << 62) as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except (OSError, GelandeError):
        return ""


def reason_of(error: OSError) -> str:
    """Reason of a file's error in plain words."""
    words = {
        errno.ENOSPC: "the disk is full",
        errno.EACCES: "you may not write or read there",
        errno.EROFS: "the disk is read-only",
        errno.ENOENT: "the file or folder does not exist",
        errno.EISDIR: "it is a folder",
        errno.ENOTDIR: "part of the path is a file, not a folder",
        errno.EFBIG: "the disk takes no file of this size",
        errno.EDQUOT: "your quota is used up",
        errno.EPERM: "it is not permitted",
        errno.ENAMETOOLONG: "its name is too long",
        errno.ELOOP: "its links make a circle",
        errno.EILSEQ: "its name, or that of its folder, is not UTF-8 text; rename it",
    }
    if isinstance(error, ReadOnly):
        return "the file is read-only"
    return words.get(error.errno or 0, (error.strerror or str(error)).lower())
