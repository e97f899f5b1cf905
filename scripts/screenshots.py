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
    page.get_by_role("button", name="Read the rows").click()
    page.wait_for_selector("text=How this report is understood")


REPORT = (
    "Parameter\tResult\tUnits\nIron, total\t0.12\tmg/L\nHardness\t19\t\nNitrate\t3.4\tmg/L\nLead\t<0.5\tug/L\n"
    "Total Coliform Bacteria\tabsent\t\nMystery compound\t3\tmg/L\npH\t7.6\t"
)


def kit(page: Page) -> None:
    open_job(page, "High Tarn Farm", "Water")
    page.get_by_role("link", name="Kits and site tests").click()
    page.get_by_role("region", name="Well kit").get_by_role("button", name="Start").click()
    page.wait_for_url("**/kits/*/")
    for test in ("iron", "hardness"):
        page.locator(f"#test-{test}:not([open]) summary").click()
        page.locator(f"#test-{test} button").first.click()
        page.wait_for_timeout(500)
    page.wait_for_selector("#test-hardness .ladder", timeout=20000)


def run_sheet(name: str, script: str = "") -> object:
    def go(page: Page) -> None:
        open_job(page, name, "Commissioning")
        page.wait_for_selector(".start-step")
        if script:
            page.evaluate(f"() => {{ {script} }}")
            page.wait_for_timeout(400)

    return go


def log_of(name: str, unit: str = "") -> object:
    def go(page: Page) -> None:
        open_job(page, name, "Logbook")
        if unit:
            page.get_by_label("At which unit?").get_by_role("link", name=unit).click()
        page.wait_for_selector(".log-chart")

    return go


def train_page(name: str, link: str) -> object:
    def go(page: Page) -> None:
        open_job(page, name, "Train")
        page.get_by_text("Compare, methods").click()
        page.get_by_role("link", name=link).click()
        page.wait_for_load_state()

    return go


def materials(page: Page) -> None:
    open_job(page, "High Tarn Farm", "Layout")
    page.get_by_role("link", name="Materials list").click()


def year(page: Page) -> None:
    open_job(page, "High Tarn Farm", "Year")
    page.get_by_label("Add what happens").select_option("salt_forgotten")
    page.get_by_role("button", name="Run the year").click()
    page.wait_for_selector(".year-span")


def choices(page: Page) -> None:
    train_page("High Tarn Farm", "Compare and alternatives")(page)
    page.get_by_role("link", name="More choices").click()
    page.wait_for_selector(".choice-picture", timeout=60000)
    page.get_by_role("link", name="UV unit flow switched").first.click()
    page.wait_for_selector(".choice-open")


VIEWS = {
    "logbook": (DESK, log_of("High Tarn Farm")),
    "kit-phone": (PHONE, kit),
    "report": (DESK, report),
    "options": (DESK, train_page("High Tarn Farm", "Compare and alternatives")),
    "commission": (DESK, run_sheet("High Tarn Farm", "document.querySelector('[data-step$=\"/look\"] details').open = true")),
    "jobs": (DESK, lambda page: page.goto("/")),
    "site": (DESK, lambda page: open_job(page, "High Tarn Farm", "Site")),
    "water": (DESK, lambda page: open_job(page, "High Tarn Farm", "Water")),
    "supply": (DESK, lambda page: open_job(page, "High Tarn Farm", "Supply")),
    "wall": (DESK, lambda page: open_job(page, "High Tarn Farm", "Layout")),
    "materials": (DESK, materials),
    "year": (DESK, year),
    "choices": (DESK, choices),
    "commission-phone": (PHONE, run_sheet("Mill Street 4", "document.querySelector('[data-one]').click()")),
    "train": (DESK, train_of("High Tarn Farm", "softener")),
    "train-audit": (DESK, train_of("The Old Smithy", "neutralizer")),
    "catalogue": (DESK, lambda page: page.goto("/catalogues/1/")),
    "logbook-phone": (PHONE, log_of("High Tarn Farm", "Softener")),
    "water-phone": (PHONE, lambda page: open_job(page, "High Tarn Farm", "Water")),
}


def main(address: str = "http://127.0.0.1:8000", folder: str = str(ROOT / "docs" / "screenshots"), *names: str) -> None:
    Path(folder).mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        shell = Path("/usr/bin/chromium-headless-shell")
        found = str(shell if shell.exists() else "/usr/bin/chromium")
        browser = playwright.chromium.launch(executable_path=found, args=["--disable-gpu", "--font-render-hinting=none"])
        for name in names or VIEWS:
            size, go = VIEWS[name]
            context = browser.new_context(viewport=size, base_url=address, reduced_motion="reduce", color_scheme="light")
            context.add_init_script("localStorage.setItem('introductions', 'off')")
            page = context.new_page()
            page.on("console", lambda message: print("console:", message.text) if message.type in ("error", "warning") else None)
            page.on("pageerror", lambda error: print("page error:", error))
            page.goto("/login/")
            page.fill("#id_username", "demo")
            page.fill("#id_password", "larkfell-demo")
            page.get_by_role("button", name="Log in").click()
            go(page)
            page.wait_for_load_state("networkidle")
            page.evaluate("scrollTo(0, 0)")
            page.mouse.move(640, 20)
            page.wait_for_timeout(150)
            page.screenshot(path=str(Path(folder) / f"{name}.png"))
            print(name)
            context.close()
        browser.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
