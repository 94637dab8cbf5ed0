"""What people write: kept without the secrets that they may have pasted."""

from __future__ import annotations

from ...core.readers.masking import mask
from ...local import fingerprint_key


def written(text: str, longest: int | None = None) -> str:
    """A text as it is kept: whatever looks like a secret is a mark, which anybody can see."""
    return mask(text, fingerprint_key())[:longest]
