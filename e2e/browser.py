"""Debian's headless Chromium through Playwright, kept from every address that is not this machine."""

import os
from contextlib import contextmanager

from playwright.sync_api import Browser, Page, expect, sync_playwright

ARGUMENTS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-compositing",
    "--disable-background-networking",
    "--disable-component-update",
    "--no-first-run",
]
expect.set_options(timeout=15_000)  # a busy machine draws slowly
SIZE = {"width": 1280, "height": 800}


@contextmanager
def chromium():
    """A browser that is closed at the end."""
    # Playwright's loop runs in this thread; Django would take its own queries for async ones.
    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        try:
            yield browser
        finally:
            browser.close()


def page_of(browser: Browser, dark: bool = False, size: dict | None = None) -> Page:
    """A fresh page without memory; requests to other machines are refused and remembered in ``page.strays``."""
    context = browser.new_context(viewport=size or SIZE, color_scheme="dark" if dark else "light", accept_downloads=True)
    page = context.new_page()
    page.strays = []
    page.faults = []

    def judge(route):
        url = route.request.url
        if url.startswith(("http://127.0.0.1", "http://localhost", "data:", "blob:")):
            route.continue_()
        else:
            page.strays.append(url)
            route.abort()

    context.route("**/*", judge)
    page.on("pageerror", lambda error: page.faults.append(str(error)))
    page.set_default_timeout(20_000)
    return page
