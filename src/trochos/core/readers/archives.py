"""Archives of a survey -> its files, within bounds.

Archives come from strangers: the number of files, their sizes, the ratio of expansion
and the paths inside are checked before a byte is used. Links and devices are refused.
"""

from __future__ import annotations

import io
import tarfile
import zipfile
import zlib
from dataclasses import dataclass


class UploadError(ValueError):
    """Input that is refused; the message is a sentence for the person who sent it."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What a survey may hold at most; sizes in bytes."""

    files: int = 20_000
    file_bytes: int = 16 << 20
    total_bytes: int = 256 << 20
    ratio: int = 200
    path_length: int = 400
    depth: int = 12


LIMITS = Limits()
_WHOLE = ("topology.json", "survey.json", "expectations.yaml", "expectations.yml")
"""Files that are about no device."""


def is_archive(data: bytes) -> bool:
    return (
        data[:4] in (b"PK\x03\x04", b"PK\x05\x06")
        or data[:2] == b"\x1f\x8b"
        or (len(data) > 262 and data[257:262] == b"ustar")
    )


def check_path(path: str, limits: Limits = LIMITS) -> str:
    """The path in its plain form.

    Raises:
        UploadError: it leaves its folder, is absolute, too long or too deep.
    """
    plain = path.replace("\\", "/")
    parts = [part for part in plain.split("/") if part not in ("", ".")]
    if plain.startswith("/") or ".." in parts or (len(plain) > 1 and plain[1] == ":"):
        raise UploadError(f"The path {path[:80]!r} leads out of the survey. Rename that file.")
    if any(ord(char) < 32 for char in plain):
        raise UploadError("A file's name holds control characters. Rename that file.")
    if len(plain) > limits.path_length or len(parts) > limits.depth or not parts:
        raise UploadError(f"The path {path[:80]!r} is empty, too long or too deeply nested.")
    return "/".join(parts)


def check_files(files: dict[str, bytes], limits: Limits = LIMITS) -> dict[str, bytes]:
    """Checks plain files against the same bounds and normalises their paths."""
    if len(files) > limits.files:
        raise UploadError(f"A survey may hold {limits.files} files; these are {len(files)}.")
    out: dict[str, bytes] = {}
    total = 0
    for path, data in files.items():
        plain = check_path(path, limits)
        _check_size(plain, len(data), limits)
        total += len(data)
        _check_total(total, limits)
        if plain in out:
            raise UploadError(f"The file {plain!r} is there twice. Send it once.")
        out[plain] = data
    return out


def unpack(data: bytes, limits: Limits = LIMITS) -> dict[str, bytes]:
    """The files of a .zip, .tar or .tar.gz.

    Raises:
        UploadError: the archive is damaged or breaks a bound.
    """
    try:
        if data[:2] == b"PK":
            return _unzip(data, limits)
        return _untar(data, limits)
    except UploadError:
        raise
    except (
        zipfile.BadZipFile,
        tarfile.TarError,
        zlib.error,
        EOFError,
        OSError,
        ValueError,
        NotImplementedError,
        RuntimeError,
    ) as error:
        raise UploadError(
            f"The archive could not be opened: {error}. Pack it again as .zip or .tar.gz."
        ) from error


def opened(files: dict[str, bytes], limits: Limits = LIMITS) -> dict[str, bytes]:
    """Files with every archive among them unpacked: several archives make one survey.

    What an archive holds keeps its place from `devices` on; one without that folder is what was
    gathered from a device of its own name. An archive inside a device's folder is a file of it.

    Raises:
        UploadError: an archive is damaged, breaks a bound, or says the same file twice.
    """
    archives = [
        path
        for path, data in files.items()
        if is_archive(data) and "devices" not in path.split("/")[:-1]
    ]
    if not archives:
        return check_files(files, limits)
    if len(files) == 1:
        return unpack(files[archives[0]], limits)
    out = {path: data for path, data in files.items() if path not in archives}
    origin = dict.fromkeys(out, "the files beside it")
    total = sum(map(len, out.values()))
    for archive in archives:
        for path, data in unpack(files[archive], limits).items():
            place = _place(path, archive)
            if place in out:
                if out[place] == data:
                    continue
                raise UploadError(
                    f"{place} is in {archive} and in {origin[place]}, and they differ. Leave one "
                    "of them out, or give one device another name."
                )
            out[place], origin[place] = data, archive
            total += len(data)
            _check_total(total, limits)
    return check_files(out, limits)


def _place(path: str, archive: str) -> str:
    """Where a file of one of several archives belongs in the survey that they make together."""
    parts = path.split("/")
    if "devices" in parts[:-1]:
        return "/".join(parts[parts.index("devices") :])
    if parts[-1] in _WHOLE:
        return parts[-1]
    stem = archive.split("/")[-1].partition(".")[0]
    return f"devices/{stem}/{parts[-1]}"


def _check_size(path: str, size: int, limits: Limits) -> None:
    if size > limits.file_bytes:
        raise UploadError(
            f"{path} is larger than {limits.file_bytes >> 20} MB. Split it or leave it out."
        )


def _check_total(total: int, limits: Limits) -> None:
    if total > limits.total_bytes:
        raise UploadError(f"The survey is larger than {limits.total_bytes >> 20} MB when unpacked.")


def _unzip(data: bytes, limits: Limits) -> dict[str, bytes]:
    out: dict[str, bytes] = {}
    total = 0
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        entries = [entry for entry in archive.infolist() if not entry.is_dir()]
        if len(entries) > limits.files:
            raise UploadError(f"A survey may hold {limits.files} files; this has {len(entries)}.")
        for entry in entries:
            path = check_path(entry.filename, limits)
            if entry.flag_bits & 1:
                raise UploadError(f"{path} is encrypted. Pack the survey without a password.")
            if entry.external_attr >> 28 == 0xA:
                raise UploadError(f"{path} is a link. Pack the file itself.")
            _check_size(path, entry.file_size, limits)
            if entry.file_size > max(1 << 16, limits.ratio * max(entry.compress_size, 1)):
                raise UploadError(f"{path} expands more than {limits.ratio} times. It is refused.")
            # The header may lie: never read more than the bound.
            with archive.open(entry) as stream:
                content = stream.read(limits.file_bytes + 1)
            _check_size(path, len(content), limits)
            total += len(content)
            _check_total(total, limits)
            if path in out:
                raise UploadError(f"The file {path!r} is in the archive twice.")
            out[path] = content
    return out


def _untar(data: bytes, limits: Limits) -> dict[str, bytes]:
    out: dict[str, bytes] = {}
    total = 0
    if data[:2] == b"\x1f\x8b":
        plain_limit = min(limits.total_bytes * 2, max(1 << 20, len(data) * limits.ratio))
        expander = zlib.decompressobj(zlib.MAX_WBITS | 16)
        plain = expander.decompress(data, plain_limit)
        if expander.unconsumed_tail:
            raise UploadError(f"The archive expands more than {limits.ratio} times or too far.")
        if not expander.eof:
            raise UploadError("The archive ends before it is complete. Send it again.")
        if not (len(plain) > 262 and plain[257:262] == b"ustar"):
            raise UploadError("The .gz file does not hold a .tar. Pack the folder as .tar.gz.")
    else:
        plain = data
    with tarfile.open(fileobj=io.BytesIO(plain), mode="r:") as archive:
        for member in archive:
            if member.isdir():
                continue
            path = check_path(member.name, limits)
            if not member.isreg():
                raise UploadError(f"{path} is a link or a device. Pack the file itself.")
            _check_size(path, member.size, limits)
            total += member.size
            _check_total(total, limits)
            if len(out) >= limits.files:
                raise UploadError(f"A survey may hold {limits.files} files; this has more.")
            stream = archive.extractfile(member)
            if path in out:
                raise UploadError(f"The file {path!r} is in the archive twice.")
            out[path] = stream.read() if stream is not None else b""
    return out
