"""No screen shows a text that is not translated: in a made-up language, English in letters that are no ASCII."""

import gettext
import re
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
import uvicorn
from babel import Locale
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from sqlalchemy import text
from tests.helpers import (
    ANNA,
    PATIENCE_S,
    QUICK,
    QUICK_ONE_SIDE,
    Drawer,
    analyse_all,
    desk,
    do,
    free_ports,
    make,
    request,
    scan,
)

from papiermappe.core.encode.level import Level
from papiermappe.core.operations import SetAside, Turn
from papiermappe.message import Message
from papiermappe.services import destinations, mappen, runs
from papiermappe.services.caller import MACHINE, Caller
from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.store.models import RunState
from papiermappe.web.app import create_app
from papiermappe.web.author import COOKIE, author_of
from papiermappe.words import Words

Until = Callable[..., None]

UNTRANSLATED = """
const found = new Set();
const shown = (element) => element.checkVisibility() || element.closest('option, title');
const isData = (element) => element.closest('[translate=no], script, style, time, kbd');
const words = arguments[0];
const check = (raw, element) => {
  const left = words.reduce((text, word) => text.replaceAll(word, ' '), raw.replace(/\\d+ [A-Z][a-z]{2} \\d{4}/g, ' '));
  if (/[A-Za-z]{2,}/.test(left)) found.add(raw.trim() + ' in ' + element.tagName);
};
for (const element of document.querySelectorAll('body, body *')) {
  if (isData(element)) continue;
  for (const node of element.childNodes) if (node.nodeType === 3 && shown(element)) check(node.textContent, element);
  for (const name of ['aria-label', 'title', 'placeholder', 'alt']) check(element.getAttribute(name) ?? '', element);
}
check(document.title.replace('Papiermappe', ''), document.head);
return [...found];
"""

DATA = [
    "Lease Upper Meadow", "lease-upper-meadow", "pdf", "English", "German", "Zaunkönig D60", "Leases", "Hail", "JPEG",
    "PDF/A", "TIFF", ".docx", "ALTO", "KB", "MB", "mm", "dpi", "A3", "A4", "A5", "A6", "Papiermappe",
]  # fmt: skip
"""What stands in texts as it is: units, papers, formats, names."""

PLACEHOLDER = re.compile(r"({\w+}|%\(\w+\)s)")
ODD = {ord(letter): 0x1D5EE + at for at, letter in enumerate("abcdefghijklmnopqrstuvwxyz")}
ODD |= {ord(letter): 0x1D5D4 + at for at, letter in enumerate("ABCDEFGHIJKLMNOPQRSTUVWXYZ")}


class OddLetters(gettext.NullTranslations):
    """A made-up language: English in mathematical letters, so that what is not translated is seen."""

    def gettext(self, message: str) -> str:
        """Translate all but the parameters."""
        return "".join(part if at % 2 else part.translate(ODD) for at, part in enumerate(PLACEHOLDER.split(message)))

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        """Do the same with the form for a number."""
        return self.gettext(msgid1 if n == 1 else msgid2)


@pytest.fixture
def url(database_url: str, tmp_path: Path) -> Iterator[str]:
    """A web server that speaks the made-up language."""
    port = free_ports()
    settings = Settings(data_dir=tmp_path, port=port)
    app = create_app(settings, database_url, Words(Locale.parse("en_GB"), OddLetters()))
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="error"))
    thread = threading.Thread(target=server.run)
    thread.start()
    until_s = time.monotonic() + PATIENCE_S
    while not server.started and time.monotonic() < until_s:
        time.sleep(0.05)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    server.force_exit = True  # a browser's streams do not end by themselves
    thread.join(20)
    app.state.context.store.close()  # which a server that is made to end does not


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, tmp_path: Path, driver: Chrome, url: str) -> int:
    """A Mappe with all that can be told of one, by the person at the browser."""
    driver.get(url)
    cookie = driver.get_cookie(COOKIE)
    assert cookie is not None
    person = Caller(author_of(cookie["value"]))
    drawer.lay("lease", "german")
    scan(store, mappe, zaunkoenig, QUICK)
    analyse_all(store, mappe)
    pages = desk(store, mappe).order
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1), caller=person)
    do(store, mappe, SetAside(pages=(pages[3],)), caller=person)
    drawer.lay("hail")
    drawer.trouble(jam_at=2)
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "filed")
    make(store, request(store, mappe, place, datetime(2026, 11, 27, tzinfo=UTC), level=Level.LEAN))
    with store.begin() as session:
        session.execute(
            text(
                "update page set analysis = jsonb_set(analysis, '{findings}', cast(:found as jsonb)) where id = :page"
            ),
            {"found": '[{"kind": "cut_off", "params": {"edge": "left"}, "confidence": 0.6}, '
                      '{"kind": "dust_line", "params": {}, "confidence": 0.8}]', "page": pages[0]},
        )  # fmt: skip
    return mappe


@pytest.mark.slow
def test_no_screen_shows_a_text_that_is_not_translated(
    full: int,
    url: str,
    store: Store,
    zaunkoenig: int,
    driver: Chrome,
    until: Until,
    complaints: Callable[[], list[str]],
) -> None:
    other = mappen.open_mappe(ANNA, store, "Hail")
    mappen.clear(ANNA, store, other)
    empty = mappen.open_mappe(ANNA, store, "")
    paths = ["/", f"/?cleared={other}", "/?find=nowhere", "/nowhere"]
    paths += [
        f"/mappen/{mappe}/{station}" for mappe in (full, empty) for station in ("intake", "order", "tidy", "file")
    ]
    for path in paths:
        driver.get(url + path)
        until(lambda: driver.execute_script("return document.readyState === 'complete'"))
        if "/mappen/" in path:
            until(lambda: driver.execute_script("return !!window.Alpine?.store('mappe')"))
        if path.endswith("/intake"):
            until(lambda: driver.find_elements(By.CSS_SELECTOR, ".chips li"))
        assert driver.execute_script(UNTRANSLATED, DATA) == [], path
        if "/mappen/" in path:
            driver.find_element(By.CSS_SELECTOR, ".keys-button").click()
            until(lambda: driver.find_elements(By.CSS_SELECTOR, "dialog[open] dd"))
            assert driver.execute_script(UNTRANSLATED, DATA) == [], f"keys of {path}"
    driver.get(f"{url}/mappen/{empty}/intake")
    until(lambda: driver.find_element(By.ID, "use-camera").is_displayed())
    driver.find_element(By.ID, "use-camera").click()
    until(lambda: driver.find_element(By.ID, "camera-again").is_displayed())  # there is none here
    assert driver.execute_script(UNTRANSLATED, DATA) == [], "the camera"
    driver.get(f"{url}/mappen/{empty}/intake")
    until(lambda: driver.find_element(By.ID, "use-phone").is_displayed())
    driver.find_element(By.ID, "use-phone").click()
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".phone-link img").is_displayed())
    assert driver.execute_script(UNTRANSLATED, DATA) == [], "the link for phones"
    for address in (driver.find_element(By.CSS_SELECTOR, ".phone-link .mono").text, f"{url}/phone/nothere"):
        driver.get(address)
        until(lambda: driver.execute_script("return document.readyState === 'complete'"))
        assert driver.execute_script(UNTRANSLATED, DATA) == [], "the page of a phone"
    for state, message in ((RunState.WAITING, None), (RunState.RECEIVING, None), (RunState.INTERRUPTED, "run_cut_off")):
        with store.begin() as session:
            session.execute(text("delete from procrastinate_jobs"))
        run = runs.start_run(ANNA, store, empty, zaunkoenig, QUICK_ONE_SIDE)
        if state is RunState.WAITING:
            runs.wait_for_sheet(MACHINE, store, run)
        elif state is RunState.INTERRUPTED:
            runs.end(MACHINE, store, run, state, Message(code=message or ""))
        driver.get(f"{url}/mappen/{empty}/intake")
        until(lambda: driver.find_elements(By.CSS_SELECTOR, ".chips li"))
        assert driver.execute_script(UNTRANSLATED, DATA) == [], state
        runs.end(MACHINE, store, run, RunState.STOPPED)
    assert [
        line for line in complaints() if not any(known in line for known in ("404", "410", ".jpg"))
    ] == []  # no worker makes pictures here
