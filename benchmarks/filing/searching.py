"""Finding filed documents by their text, among as many as an office files in years."""

import statistics
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import psycopg
from benchmarks.database import private_database
from benchmarks.table import Row, scaled

from papiermappe.services.caller import Caller
from papiermappe.services.filed import Wanted, list_filed
from papiermappe.services.finding import find_pages
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store

DOCUMENTS, PAGES = 100_000, 5
WORDS_A_PAGE = 90
VOCABULARY = 30_000
TEXTS = 20_000
"""Different pages; the others repeat them."""
TIMES = 15
"""A question that is asked more than ten times is planned once for all, unless it is kept from that."""
CONNECTIONS = 2
_NAMES = [
    ("the newest", ""),
    ("a name", "paper_77"),
    ("a part of all names", "paper"),
    ("a part of no name", "xylograph"),
]
CLERK = Caller("clerk")

_INDEXES = """
select indexname, indexdef from pg_indexes
    where tablename = 'document_page' and indexdef like '%USING gin%'
"""
_FILE = """
insert into mappe (subject) values ('Everything');
insert into destination (name, kind, settings, form) values ('Archive', 'folder', '{"path": "/nowhere"}', '{}');
insert into filing (mappe_id, pages, page_count, format, level, recognition_mode, naming_rule_id, naming, state)
    select 1, '{"pages": []}', 5, '.pdf', 'lean', 'fast', 1, '{}', 'made' from generate_series(1, %(count)s);
insert into document (filing_id, number, title, first_page, page_count, name_texts, file_name)
    select id, 1, 'Paper', 0, 5, '[]', 'paper_' || id || '.pdf' from filing;
insert into delivery (document_id, destination_id, file_name, idempotency_key, state, delivered_at)
    select id, 1, file_name, id::text, 'delivered', now() - id * interval '1 minute' from document;
"""


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    count = scaled(DOCUMENTS, share)
    hand = np.random.default_rng(seed)
    words = np.array(sorted({_word(hand) for _ in range(VOCABULARY)}))
    with private_database("searched") as (url, folder):
        _fill(url, count, words, hand)
        store = Store(url, Blobs.in_folder(folder / "blobs"))
        rows = [_timed(store, what, find_pages, find) for what, find in _questions(words)]
        rows += [_timed(store, what, list_filed, find) for what, find in _NAMES]
        store.close()
    return [Row(f"{count} documents of {PAGES} pages", ""), *rows]


def _word(hand: np.random.Generator) -> str:
    syllables = (
        "ba",
        "den",
        "kor",
        "lin",
        "mar",
        "nel",
        "os",
        "pel",
        "ra",
        "sten",
        "tam",
        "vel",
        "wen",
        "zi",
        "hof",
        "gar",
    )
    return "".join(hand.choice(syllables, int(hand.integers(2, 5))))


def _fill(
    url: str, count: int, words: np.ndarray[tuple[int, ...], np.dtype[np.str_]], hand: np.random.Generator
) -> None:
    """File documents whose words are as frequent as those of a language are: the n-th as 1/n."""
    weights = 1 / np.arange(1, len(words) + 1)
    weights /= weights.sum()
    texts = [" ".join(hand.choice(words, WORDS_A_PAGE, p=weights)) for _ in range(TEXTS)]
    with psycopg.connect(url) as connection:
        for statement in _FILE.split(";\n"):
            if statement.strip():
                connection.execute(statement.encode(), {"count": count} if "%(count)s" in statement else None)
        indexes = connection.execute(_INDEXES).fetchall()
        for name, _ in indexes:  # made anew afterwards, which takes a fraction of the time
            connection.execute(f"drop index {name}".encode())
    halves = [range(first, count + 1, CONNECTIONS) for first in range(1, CONNECTIONS + 1)]
    seeds = [int(seed) for seed in hand.integers(2**31, size=CONNECTIONS)]
    with ThreadPoolExecutor(CONNECTIONS) as threads:
        list(threads.map(lambda part, seed: _copy(url, part, texts, seed), halves, seeds))
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("set maintenance_work_mem = '512MB'")
        for _, definition in indexes:
            connection.execute(definition.encode())
        connection.execute("vacuum analyze")


def _copy(url: str, numbers: Sequence[int], texts: Sequence[str], seed: int) -> None:
    """Give documents their pages."""
    hand = np.random.default_rng(seed)
    with (
        psycopg.connect(url) as connection,
        connection.cursor() as cursor,
        cursor.copy("copy document_page (document_id, page, text) from stdin") as copy,
    ):
        for document in numbers:
            for page in range(1, PAGES + 1):
                copy.write_row((document, page, texts[int(hand.integers(TEXTS))]))


def _questions(words: np.ndarray[tuple[int, ...], np.dtype[np.str_]]) -> list[tuple[str, str]]:
    rare, usual, frequent = (str(words[at]) for at in (20_000 % len(words), 400, 3))
    return [
        ("a rare word", rare),
        ("a usual word", usual),
        ("a word of nearly every page", frequent),
        ("two words", f"{usual} {words[900]}"),
        ("two words one behind the other", f'"{words[3]} {words[5]}"'),
        ("a word that is nowhere", "xylograph"),
    ]


def _timed(store: Store, what: str, search: Callable[..., Sequence[object]], find: str) -> Row:
    search(CLERK, store, Wanted(find))
    taken = []
    for _ in range(TIMES):
        began_s = time.perf_counter()
        found = search(CLERK, store, Wanted(find))
        taken.append(time.perf_counter() - began_s)
    return Row(f"    {what}: {len(found)} found", f"{1000 * statistics.median(taken):.0f} ms", "<= 150 ms")
