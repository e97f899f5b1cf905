"""Takes the pictures of docs/screenshots from a running demo: python scripts/screenshots.py [ADDRESS [FOLDER [NAME…]]]."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
DESK, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}


def open_job(page: Page, name: str, step: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=name).click()
    page.locator(".steps").get_by_role("link", name=step).click()


def train_of(name: str, stage: str = "") -> object:
    def go(page: Page) -> None:
        open_job(page, name, "Train")
        if stage:
            page.locator(f"#stage-{stage}").click()
            page.wait_for_selector(f'#stage-{stage}[aria-current="true"]')

    return go


def report(page: Page) -> None:
    open_job(page, "Quarry Lane 9", "Water")
    page.get_by_text("From a report").click()
    page.fill("#report-rows", REPORT)
    page.get_by_role("button", name="Look what is in them").click()
    page.wait_for_selector("text=How this report is understood")


REPORT = (
    "Parameter\tResult\tUnits\nIron, total\t0.12\tmg/L\nHardness\t19\t\nNitrate\t3.4\tmg/L\nLead\t<0.5\tug/L\n"
    "Total Coliform Bacteria\tabsent\t\nMystery compound\t3\tmg/L\npH\t7.6\t"
)
VIEWS = {
    "report": (DESK, report),
    "jobs": (DESK, lambda page: page.goto("/")),
    "site": (DESK, lambda page: open_job(page, "High Tarn Farm", "Site")),
    "water": (DESK, lambda page: open_job(page, "High Tarn Farm", "Water")),
    "supply": (DESK, lambda page: open_job(page, "High Tarn Farm", "Supply")),
    "train": (DESK, train_of("High Tarn Farm", "softener")),
    "train-audit": (DESK, train_of("The Old Smithy", "neutralizer")),
    "train-phone": (PHONE, train_of("High Tarn Farm", "softener")),
    "water-phone": (PHONE, lambda page: open_job(page, "High Tarn Farm", "Water")),
}


def main(address: str = "http://127.0.0.1:8000", folder: str = str(ROOT / "docs" / "screenshots"), *names: str) -> None:
    Path(folder).mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--disable-gpu", "--font-render-hinting=none"])
        for name in names or VIEWS:
            size, go = VIEWS[name]
            context = browser.new_context(viewport=size, base_url=address, reduced_motion="reduce", color_scheme="light")
            page = context.new_page()
            page.on("console", lambda message: print("console:", message.text) if message.type in ("error", "warning") else None)
            page.on("pageerror", lambda error: print("page error:", error))
            page.goto("/login/")
            page.fill("#id_username", "demo")
            page.fill("#id_password", "larkfell-demo")
            page.get_by_role("button", name="Log in").click()
            go(page)
            page.evaluate("scrollTo(0, 0)")
            page.mouse.move(640, 20)
            page.wait_for_timeout(150)
            page.screenshot(path=str(Path(folder) / f"{name}.png"))
            print(name)
            context.close()
        browser.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
