"""What a person does on the screens that takes more than one step."""

from __future__ import annotations

import re

from playwright.sync_api import Page


def type_over(page: Page, device: str, line: str, text: str) -> None:
    """On Change: opens a device's text, searches a line in the editor and types text over it."""
    page.get_by_role("combobox", name="Device", exact=True).fill(device)
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name=re.compile(f"Source of {device},")).click()
    page.keyboard.press("Control+f")
    page.keyboard.type(line)
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.keyboard.press("Shift+End")
    page.keyboard.insert_text(text)
    if not text:
        page.keyboard.press("Delete")
        page.keyboard.press("Delete")
