"""Debian's Chromium as stories, pictures and benches start it."""

import shutil

from playwright.sync_api import Browser, Playwright

_ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


def launched(playwright: Playwright) -> Browser:
    """A browser without a screen: the shell that is made for that, which takes half the processor time, or else the
    whole browser."""
    found = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    return playwright.chromium.launch(executable_path=found, args=_ARGUMENTS)
