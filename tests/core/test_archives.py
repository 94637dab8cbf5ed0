"""Archives from strangers: bounds hold, and every refusal is a sentence."""

from __future__ import annotations

import gzip
import io
import tarfile
import zipfile

import pytest

from trochos.core.readers.archives import Limits, UploadError, check_files, unpack


def zipped(files: dict[str, bytes], **options: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", options.get("method", zipfile.ZIP_DEFLATED)) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def tarred(files: dict[str, bytes], kind: bytes = tarfile.REGTYPE) -> bytes:
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w:gz") as archive:
        for name, data in files.items():
            info = tarfile.TarInfo(name)
            info.size, info.type, info.linkname = len(data), kind, "/etc/passwd"
            archive.addfile(info, io.BytesIO(data))
    return out.getvalue()


FILES = {"devices/mill/frr.conf": b"hostname mill\n", "topology.json": b"{}"}


@pytest.mark.parametrize("pack", [zipped, tarred])
def test_both_kinds_give_the_files_back(pack) -> None:  # type: ignore[no-untyped-def]
    assert unpack(pack(FILES)) == FILES


@pytest.mark.parametrize("pack", [zipped, tarred])
@pytest.mark.parametrize("name", ["../evil", "/etc/evil", "a/../../evil", "C:/evil", "a\nb"])
def test_paths_stay_inside(pack, name: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(UploadError):
        unpack(pack({name: b"x"}))


@pytest.mark.thorough
def test_expansion_is_bounded() -> None:
    for bomb in (zipped({"a": bytes(50 << 20)}), gzip.compress(bytes(300 << 20), 9)):
        with pytest.raises(UploadError):
            unpack(bomb)


def test_counts_and_sizes_are_bounded() -> None:
    limits = Limits(files=2, file_bytes=10, total_bytes=15)
    for files in (
        {str(i): b"" for i in range(3)},
        {"a": b"x" * 11},
        {"a": b"x" * 9, "b": b"y" * 9},
    ):
        for attempt in (
            lambda f=files: unpack(zipped(f), limits),
            lambda f=files: unpack(tarred(f), limits),
            lambda f=files: check_files(f, limits),
        ):
            with pytest.raises(UploadError):
                attempt()


def test_links_are_refused() -> None:
    with pytest.raises(UploadError, match="link"):
        unpack(tarred({"a": b""}, tarfile.SYMTYPE))


@pytest.mark.parametrize("cut", [4, 30, 60])
def test_damaged_archives_are_refused_with_a_sentence(cut: int) -> None:
    for data in (zipped(FILES), tarred(FILES)):
        with pytest.raises(UploadError, match=r"\."):
            unpack(data[: len(data) - cut])
