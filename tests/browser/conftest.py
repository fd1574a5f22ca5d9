"""The browser and what a user does in it."""

from __future__ import annotations

import time
from collections.abc import Iterator

import pytest
from playwright.sync_api import (
    Browser,
    BrowserContext,
    ConsoleMessage,
    Page,
    expect,
    sync_playwright,
)

from tests.conftest import Service
from zealous_sieve.core.sieve.examples import WAKING

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    # A window's own address field would be a page of its own beside each of ours.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup,MediaRouter,OptimizationHints,PaintHolding,"
    "HttpsUpgrades,HttpsFirstBalancedModeAutoEnable,ThirdPartyStoragePartitioning,LensOverlay",
]  # fmt: skip
expect.set_options(timeout=60_000)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield chromium
        chromium.close()


def faults_of(page: Page) -> list[str]:
    """Will hold what goes wrong on a page by our own doing, also what the framework only notes down."""
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(f"{error.message} {error.stack}"))

    def noted(message: ConsoleMessage) -> None:
        if message.type == "error" and not message.text.startswith("Failed to load resource"):
            faults.append(message.text)

    page.on("console", noted)
    return faults


_CONTEXTS: dict[str, BrowserContext] = {}


def page_of(browser: Browser, service: Service) -> Page:
    """
    The only page of a browser that is let in at a desk and has kept nothing of it. All tests of a desk have
    it open in the same context, so that files of ours are loaded and compiled once.
    """
    if service.base not in _CONTEXTS:
        size = {"width": 1280, "height": 800}
        _CONTEXTS[service.base] = browser.new_context(viewport=size, base_url=service.base)  # type: ignore[arg-type]
    context = _CONTEXTS[service.base]
    left, page = context.pages, context.new_page()
    for other in left:
        other.close()
    context.clear_cookies()
    everything = {"origin": service.base, "storageTypes": "all"}
    context.new_cdp_session(page).send("Storage.clearDataForOrigin", everything)
    service.admit(context)
    return page


@pytest.fixture
def page(browser: Browser, service: Service) -> Iterator[Page]:
    opened = page_of(browser, service)
    errors = faults_of(opened)
    yield opened
    opened.close()
    assert errors == []


def run_of(service: Service, sieve: int) -> int:
    """A run of a sieve that has ended."""
    ask = service.client.ask
    run = int(ask("POST", "/runs", {"sieve_id": sieve})["id"])
    while ask("GET", f"/runs/{run}")["run"]["state"] in ("queued", "running"):
        time.sleep(0.05)
    return run


@pytest.fixture
def reviewed(service: Service) -> int:
    """A run of a sieve of its own, so that nothing of it has been decided."""
    ask = service.client.ask
    sieve = ask("GET", "/sieves/3")["sieve"] | {"name": f"Own {time.time()}"}
    made = ask("POST", "/sieves", {"sieve": sieve})["id"]
    run = run_of(service, made)
    ask("DELETE", f"/sieves/{made}")
    return run


@pytest.fixture
def waking(service: Service) -> Iterator[int]:
    """A sieve of its own as it comes with the application, whatever others make of that."""
    ask = service.client.ask
    made = int(ask("POST", "/sieves", {"sieve": WAKING.model_dump(mode="json")})["id"])
    yield made
    ask("DELETE", f"/sieves/{made}")
