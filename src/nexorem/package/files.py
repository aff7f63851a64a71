"""Reading files of a package, from a folder or a .zip, without ever leaving it."""

from __future__ import annotations

import re
import stat
import zipfile
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING

from nexorem.core.diagnostics import Refused, refuse

if TYPE_CHECKING:
    import pyarrow as pa

MOST_BYTES = 2 * 1024**3
MOST_FILES = 10_000
REMOTE = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*://")


def checked_path(text: str, place: str) -> PurePosixPath:
    """A resource's path; refuses remote addresses and whatever leaves the package."""
    if REMOTE.match(text):
        raise refuse("remote_path", f"{text} is a remote address.", "Put the file into the package and name it by a relative path.", place)
    path = PurePosixPath(text)
    if not text or path.is_absolute() or ".." in path.parts or "\\" in text or "\0" in text or ":" in path.parts[0]:
        raise refuse(
            "path_outside", f"The path {text!r} leaves the package.", "Use a relative path inside the package, with forward slashes.", place
        )
    return path


class Folder:
    """A package in a folder."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()

    def read(self, text: str, place: str) -> bytes:
        """A file's bytes."""
        return self._path(text, place).read_bytes()

    def opened(self, text: str, place: str) -> pa.NativeFile:
        """A file, to be read a part at a time."""
        import pyarrow as pa  # a fifth of a second, of which descriptors and lists need nothing

        return pa.OSFile(str(self._path(text, place)))

    def _path(self, text: str, place: str) -> Path:
        path = (self.root / checked_path(text, place)).resolve()
        if not path.is_relative_to(self.root):
            raise refuse("path_outside", f"The path {text!r} leads out of the package.", "Put the file itself into the package.", place)
        if not path.is_file():
            raise missing(text, place)
        if path.stat().st_size > MOST_BYTES:
            raise too_large(text, place)
        return path


class Zip:
    """A package in a .zip; its files may lie in one folder of it."""

    def __init__(self, path: Path) -> None:
        try:
            self.zip = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, OSError) as error:
            raise refuse("bad_zip", f"{path.name} is not a readable .zip: {error}.") from None
        infos = self.zip.infolist()
        if len(infos) > MOST_FILES or sum(i.file_size for i in infos) > MOST_BYTES:
            raise too_large(path.name, path.name)
        described = [n for n in self.zip.namelist() if PurePosixPath(n).name == "datapackage.json"]
        shortest = min(described, key=lambda n: (n.count("/"), n), default="datapackage.json")
        self.prefix = shortest[: -len("datapackage.json")]

    def opened(self, text: str, place: str) -> pa.NativeFile:
        """A file, unpacked."""
        import pyarrow as pa

        return pa.BufferReader(self.read(text, place))

    def read(self, text: str, place: str) -> bytes:
        """A file's bytes."""
        name = self.prefix + str(checked_path(text, place))
        try:
            info = self.zip.getinfo(name)
        except KeyError:
            raise missing(text, place) from None
        if stat.S_ISLNK(info.external_attr >> 16):
            raise refuse("path_outside", f"{text!r} is a symbolic link.", "Put the file itself into the package.", place)
        try:
            with self.zip.open(info) as stream:
                content = stream.read(info.file_size + 1)
        except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError) as error:
            raise refuse("bad_zip", f"{text} cannot be read from the .zip: {error}.", place=place) from None
        if len(content) > info.file_size:
            raise too_large(text, place)
        return content


def missing(text: str, place: str) -> Refused:
    """The error for a file that is not there."""
    return refuse(
        "missing_file", f"The file {text!r} is not in the package.", "Add it, or take its resource out of datapackage.json.", place
    )


def too_large(text: str, place: str) -> Refused:
    """The error for a file beyond the bound."""
    return refuse("too_large", f"{text} is larger than {MOST_BYTES // 1024**3} GB when unpacked.", place=place)


def open_files(path: Path) -> Folder | Zip:
    """A folder, a .zip, or the datapackage.json of a folder."""
    if path.is_dir():
        return Folder(path)
    if path.name == "datapackage.json" and path.is_file():
        return Folder(path.parent)
    if path.is_file():
        return Zip(path)
    raise refuse("missing_package", f"There is no package at {path}.", "Name a folder with a datapackage.json, or a .zip of one.")
