"""Moments as text (RFC 3339), compared without asking any clock."""

from __future__ import annotations

import re

_STAMP = re.compile(
    r"(\d{4})-(\d\d)-(\d\d)[Tt ](\d\d):(\d\d):(\d\d)(?:\.\d+)?(?:[Zz]|([+-])(\d\d):(\d\d))"
)


def seconds_of(text: str) -> int | None:
    """Seconds since 1970-01-01 of a moment in RFC 3339, section 5.6; None if it is none."""
    match = _STAMP.fullmatch(text)
    if match is None:
        return None
    year, month, day, hour, minute, second = (int(part) for part in match.groups()[:6])
    if not (1 <= month <= 12 and 1 <= day <= 31 and hour < 24 and minute < 60 and second <= 60):
        return None
    # Years begin in March here, so that the leap day is a year's last (Gregorian calendar).
    year -= month <= 2
    month = (month + 9) % 12
    days = 365 * year + year // 4 - year // 100 + year // 400 + (153 * month + 2) // 5 + day - 1
    total = (days - 719468) * 86400 + hour * 3600 + minute * 60 + second
    if match.group(7):
        away = int(match.group(8)) * 3600 + int(match.group(9)) * 60
        total -= away if match.group(7) == "+" else -away
    return total
