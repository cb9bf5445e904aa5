"""The language that a page is written in."""

from papiermappe.core.reading.spoken import language_of


def test_the_language_is_told_by_its_short_words_or_not_at_all() -> None:
    assert language_of(["Der Preis, den wir vereinbart hatten, gilt nicht für die zweite Lieferung."]) == "deu"
    assert language_of(["We thank you for your order and have sent it to the works."]) == "eng"
    assert language_of(["Weir Russet 40 310 kg"]) is None
    assert language_of(["the and der und the der und that mit"]) is None
