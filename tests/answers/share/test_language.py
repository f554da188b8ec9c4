"""Languages of the pages: the same words in each, dates and numbers, and how easy the family page reads."""

import re
import string
import unittest
from datetime import date

import pyphen

from bodkin.answers.share.language import language_of, languages
from bodkin.core.errors import BadInput
from tests.support import sheets

OPTIONAL = {"seasons_in_text", "student_headings"}
"""Parts that a language may do without: others stand in for them."""


def gaps(text):
    return {name for _, name, _, _ in string.Formatter().parse(text) if name}


class Words(unittest.TestCase):
    def test_every_language_has_the_same_words(self):
        """Each part and key, with the same gaps; the voice of the student may leave some to the family's."""
        english = language_of("en").words
        self.assertIn("pt", languages())
        for code in languages():
            own = language_of(code).words
            self.assertEqual(set(own) | OPTIONAL, set(english) | OPTIONAL)
            for part, words in english.items():
                if part in OPTIONAL or not isinstance(words, dict):
                    continue
                self.assertEqual(set(own[part]), set(words), (code, part))
                for key, text in words.items():
                    with self.subTest(language=code, part=part, key=key):
                        self.assertLessEqual(gaps(own[part][key]), gaps(text) | {"name", "year"})

    def test_dates_and_numbers(self):
        """Months in words; a comma where the language has one; a minus sign and no hyphen."""
        english, portuguese = language_of("en"), language_of("pt")
        self.assertEqual(english.day(date(2027, 2, 12)), "February 12, 2027")
        self.assertEqual(portuguese.day(date(2027, 3, 1)), "1 de março de 2027")
        self.assertEqual((english.number(-2.25, 1), portuguese.number(2.25, 2)), ("−2.2", "2,25"))
        self.assertEqual(english.window("2026-27 winter"), "winter 2026-27")
        self.assertEqual(portuguese.window("2026-27 fall", in_text=True), "o outono de 2026-27")
        self.assertEqual([english.listed(["a", "b", "c"][:n]) for n in range(4)], ["", "a", "a and b", "a, b and c"])

    def test_an_unknown_language(self):
        """It is named with those there are."""
        with self.assertRaisesRegex(BadInput, "page_language: there is no 'xx'; choose one of en, pt"):
            language_of("xx")


def family_page(code):
    """The text of a family page as sentences; headings and names of windows are no sentences."""
    every = ("growth", "standing", "thread", "skills", "goals", "help", "practice", "home", "contact")
    page = sheets.sheet(sheets.asked(language=code, sections=every))
    texts = [
        block.text if block.kind != "list" else " ".join(one.rstrip(".") + "." for one in block.items)
        for section in page.sections for block in section.blocks if block.kind in ("text", "steps", "list")
    ]  # fmt: skip
    return [one for one in re.split(r"(?<=[.?!:])\s+", " ".join(texts)) if len(one.split()) > 1]


class Reading(unittest.TestCase):
    def test_the_english_page_reads_at_grade_six_or_below(self):
        """Flesch-Kincaid grade level (Kincaid, Fishburne, Rogers & Chissom 1975), syllables by the package pyphen."""
        split, sentences = pyphen.Pyphen(lang="en_US"), family_page("en")
        words = [word for one in sentences for word in re.findall(r"[A-Za-z']+", one)]
        syllables = sum(split.inserted(word).count("-") + 1 for word in words)
        grade = 0.39 * len(words) / len(sentences) + 11.8 * syllables / len(words) - 15.59
        self.assertGreater(len(words), 150)
        self.assertLess(grade, 6.0)

    def test_sentences_are_short(self):
        """In both languages: 12 words on average at most, none of more than 24 (common practice in plain language)."""
        for code in languages():
            lengths = [len(one.split()) for one in family_page(code)]
            with self.subTest(language=code):
                self.assertLessEqual(sum(lengths) / len(lengths), 12)
                self.assertLessEqual(max(lengths), 24)
