"""File names that every file system takes."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from papiermappe.core.naming.names import MAX_BYTES, name_part, safe_file_name


@pytest.mark.parametrize(
    ("subject", "part"),
    [
        ("Größe der Äpfel & Öle", "groesse-der-aepfel-oele"),  # German letters spelled out
        ("café à gogo", "cafe-a-gogo"),  # accents dropped
        ("  -- a  b --", "a-b"),
        ("../../etc/passwd", "etc-passwd"),
        ("Łódź, Außenlager", "lodz-aussenlager"),
        ("Договор аренды", "dogovor-arendy"),
        ("Ελληνικά", "ellinika"),
        ("日本", "riben"),
        ("?!…", ""),
    ],
)
def test_a_subject_becomes_plain_words(subject: str, part: str) -> None:
    assert name_part(subject) == part


@pytest.mark.parametrize(
    ("name", "safe"),
    [
        ("../../etc/passwd", "passwd.pdf"),
        ("C:\\letters\\march.pdf", "march.pdf"),
        ("a\x00b\nc.pdf", "abc.pdf"),
        ('what? "this" <is>|*.pdf', "what this is.pdf"),
        ("con.pdf", "con_.pdf"),
        ("LPT1.old.pdf", "LPT1_.old.pdf"),
        ("COM1 .pdf", "COM1_.pdf"),
        ("ends with dots...pdf", "ends with dots.pdf"),
        ("left\u202eright.pdf", "leftright.pdf"),  # a direction mark that hides an ending
    ],
)
def test_names_from_outside_are_made_safe(name: str, safe: str) -> None:
    assert safe_file_name(name, ".pdf") == safe


@pytest.mark.parametrize("name", ["", "...", "/", "a/..", "\x00\x01"])
def test_a_name_of_which_nothing_is_left_is_refused(name: str) -> None:
    with pytest.raises(ValueError, match="nothing is left"):
        safe_file_name(name, ".pdf")


@example("|.0")  # what is dropped stands before a dot
@given(st.text(min_size=1))
def test_safe_names_hold_nothing_dangerous_and_stay_as_they_are(name: str) -> None:
    try:
        safe = safe_file_name(name, ".pdf")
    except ValueError:
        assert not any(
            character.isalnum() and character.isascii() for character in name.replace("\\", "/").split("/")[-1]
        )
    else:
        assert not set(safe) & set('/\\<>:"|?*\x00\n')
        assert len(safe.encode()) <= MAX_BYTES + 1  # an underscore behind a reserved word
        assert safe_file_name(safe, ".pdf") == safe
