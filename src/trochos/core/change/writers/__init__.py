"""Saying a setting in a device's own language: the edits of its text or data.

A writer says what is asked of it, or None where its device's language has no such thing.
Nothing here decides what ought to be; that is diagnosis.
"""

from __future__ import annotations

from ...network.facts import Device
from ...readers.survey import Survey
from . import protocols
from .base import Writer
from .frr.text import FrrWriter
from .linux import LinuxWriter
from .openconfig.tree import OpenConfigWriter
from .yang.tree import YangWriter


def writer_for(survey: Survey, device: Device) -> Writer:
    """The writer of a device's language."""
    files = survey.files.get(device.chassis, {})
    if device.profile.name.startswith("FRR"):
        return FrrWriter(device, files, protocols.FRR)
    if device.profile.name.startswith("YANG"):
        return YangWriter(device, files, protocols.YANG)
    if device.profile.name == "OpenConfig":
        return OpenConfigWriter(device, files, protocols.OPENCONFIG)
    return LinuxWriter(device, files)


__all__ = ["Writer", "writer_for"]
