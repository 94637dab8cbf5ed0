"""The manual, as the application shows it: the pages of docs/manual that its users need."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from .surveys.shapes.base import Shape

FOLDER = Path(__file__).resolve().parents[3] / "docs" / "manual"
PAGES = (
    "going-in",
    "files",
    "surveys",
    "on-the-way",
    "verdicts",
    "gates",
    "claims",
    "findings",
    "limits",
    "changes",
    "whole-network",
    "gathering",
    "operating",
    "library",
    "scale",
)
"""In the order in which somebody new would read them."""


class ManualPageShape(Shape):
    name = s.CharField()
    title = s.CharField()
    text = s.CharField(help_text="Markdown, without the title")


class ManualShape(Shape):
    pages = ManualPageShape(many=True)


@cache
def pages() -> list[dict[str, str]]:
    """Name, title and text of each page that is installed."""
    out = []
    for name in PAGES:
        path = FOLDER / f"{name}.md"
        if path.exists():
            title, _, text = path.read_text().partition("\n")
            out.append({"name": name, "title": title.removeprefix("# "), "text": text.strip()})
    return out


class ManualView(APIView):
    """The whole manual: it is small, and searched where it is read."""

    @extend_schema(operation_id="manual", responses=ManualShape)
    def get(self, request: Request) -> Response:
        return Response({"pages": pages()})
