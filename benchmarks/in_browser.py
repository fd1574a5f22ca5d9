"""What benchmarks in a real browser share."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "scripts"))
from screenshots import FLAGS, let_in

DRAWN = """(code) => new Promise((done, failed) => {
  const begun = performance.now()
  const look = () => {
    const label = document.querySelector('.canvas [role=img]')?.getAttribute('aria-label') ?? ''
    if (label.startsWith(code)) requestAnimationFrame(() => done(performance.now()))
    else if (performance.now() > begun + 30_000) failed(new Error(`no chart of ${code}: ${label}`))
    else requestAnimationFrame(look)
  }
  look()
})"""
"""Resolves with the moment at which the chart of an instrument stands on the page."""


@contextmanager
def opened(base: str) -> Iterator[Page]:
    """A page of a browser, 1280 by 800, that the desk lets in."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(let_in(base))
        yield page
        browser.close()
