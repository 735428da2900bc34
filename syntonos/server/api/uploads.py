"""Files that a browser sends: their size is looked at before they are read."""

from __future__ import annotations

from ninja import UploadedFile

from syntonos.core.errors import ColourError


def read_upload(file: UploadedFile, most_mib: int) -> bytes:
    """Return an uploaded file's bytes.

    Raises
    ------
    ColourError
        upload.large, before anything is read into memory.
    """
    size = file.size or 0
    if size > most_mib * 2**20:
        raise ColourError(
            f"{file.name} has {size / 2**20:.0f} MiB.", code="upload.large",
            hint=f"Files of this kind are taken up to {most_mib} MiB.",
        )  # fmt: skip
    data: bytes = file.read()
    return data
