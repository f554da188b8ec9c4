"""Notes and documents as the store keeps them: history, withdrawing, parts of a file, last days, undo to the row."""

import hashlib
from datetime import date, datetime, timedelta

from bodkin.core.errors import NotFound
from bodkin.store.writes.student import documents
from bodkin.store.writes.student.notes import change_note, note_of, notes_on, withdraw_note, write_note
from tests.support.trying import AT, Trying

DAY = date(2027, 2, 9)


class Notes(Trying):
    def write(self, text="First", audience="internal", **more):
        key, _ = write_note(self.session, self.students[0], audience, text, DAY, self.people[0],
                            **{"shared": False, **more})  # fmt: skip
        return key

    def texts(self):
        return [one.text for one in notes_on(self.session, self.students[0])]

    def test_what_it_said_before_the_latest_first(self):
        """Each change keeps the text before it; sharing alone keeps none; undo goes one back with its history."""
        key = self.write()
        change_note(self.session, key, "Second", DAY, self.people[0], shared=False)
        before = self.rows("note", "note_version")
        act = self.kept(change_note(self.session, key, "Third", DAY + timedelta(days=1), self.people[1], shared=True))
        found = note_of(self.session, key)
        self.assertEqual((found.text, found.shared), ("Third", True))
        self.assertEqual(found.earlier, ((DAY + timedelta(days=1), "Second"), (DAY, "First")))
        change_note(self.session, key, "Third", DAY, self.people[0], shared=False)
        self.assertEqual(len(note_of(self.session, key).earlier), 2)
        change_note(self.session, key, "Third", DAY, self.people[0], shared=True)
        self.undone(act)
        self.assertEqual(self.rows("note", "note_version"), before)

    def test_withdrawn_nobody_reads_it(self):
        """Neither in the list nor by its number; undo brings it back as it was."""
        key = self.write()
        act = self.kept(withdraw_note(self.session, key, DAY))
        self.assertNotIn("First", self.texts())
        with self.assertRaises(NotFound):
            note_of(self.session, key)
        self.undone(act)
        self.assertIn("First", self.texts())

    def test_one_student_s_only(self):
        """Another student's notes are not among them; both audiences are, each said."""
        self.write("Between us")
        self.write("For home", "family")
        write_note(self.session, self.students[1], "family", "Another", DAY, self.people[0], shared=False)
        mine = {one.text: one.audience for one in notes_on(self.session, self.students[0])}
        self.assertEqual({text: mine[text] for text in ("Between us", "For home")},
                         {"Between us": "internal", "For home": "family"})  # fmt: skip
        self.assertNotIn("Another", mine)


class Documents(Trying):
    def attach(self, content=b"words", until=None, student=None, name="a.txt"):
        return documents.attach_document(
            self.session, student or self.students[0], name, "text/plain", content, kind="plan", shared=False,
            by=self.people[0], at=AT, until=until,
        )  # fmt: skip

    def test_byte_for_byte_whatever_the_size(self):
        """Nothing but one byte, a part to the byte, one more, several parts; the digest is the content's (hashlib)."""
        for size in (1, documents.PART - 1, documents.PART, documents.PART + 1, 3 * documents.PART + 7):
            content = bytes(at % 251 for at in range(size))
            key, _ = self.attach(content)
            with self.subTest(size=size):
                self.assertEqual(documents.content_of(self.session, key), content)
                found = documents.document_of(self.session, key, DAY)
                self.assertEqual((found.size, found.sha256), (size, hashlib.sha256(content).hexdigest()))

    def test_undone_no_part_is_left(self):
        """The row and every part of the content."""
        before = self.rows("document", "document_part")
        _, changes = self.attach(b"x" * (2 * documents.PART))
        self.assertEqual(len(changes), 3)
        self.undone(self.kept(changes, "document"))
        self.assertEqual(self.rows("document", "document_part"), before)

    def test_removed_for_good(self):
        """That document alone, with its parts."""
        first, _ = self.attach(b"one")
        second, _ = self.attach(b"two")
        documents.remove_document(self.session, first)
        with self.assertRaises(NotFound):
            documents.document_of(self.session, first, DAY)
        self.assertEqual(documents.content_of(self.session, first), b"")
        self.assertEqual(documents.content_of(self.session, second), b"two")

    def test_the_last_day(self):
        """Read on it, not after it; what has none stays; only what is over is removed."""
        over, _ = self.attach(b"over", DAY)
        kept, _ = self.attach(b"kept", DAY + timedelta(days=1))
        always, _ = self.attach(b"always")
        next_day = DAY + timedelta(days=1)
        self.assertEqual({one.id for one in documents.documents_on(self.session, self.students[0], DAY)},
                         {over, kept, always})  # fmt: skip
        self.assertEqual({one.id for one in documents.documents_on(self.session, self.students[0], next_day)},
                         {kept, always})  # fmt: skip
        self.assertFalse(documents.any_expired(self.session, DAY))
        self.assertTrue(documents.any_expired(self.session, next_day))
        self.assertEqual(documents.remove_expired(self.session, next_day), 1)
        self.assertFalse(documents.any_expired(self.session, next_day))
        self.assertTrue(documents.any_expired(self.session, date.max))
        documents.remove_document(self.session, kept)
        self.assertFalse(documents.any_expired(self.session, date.max))

    def test_the_latest_first_and_by_whom(self):
        """The order of attaching; another student's are not among them."""
        self.attach(name="first.txt")
        self.attach(name="second.txt")
        self.attach(student=self.students[1], name="another.txt")
        found = documents.documents_on(self.session, self.students[0], DAY)
        self.assertEqual([one.name for one in found], ["second.txt", "first.txt"])
        self.assertEqual({(one.by_id, one.at) for one in found}, {(self.people[0], datetime(2027, 2, 12, 10, 0))})
        self.assertTrue(all(one.by for one in found))
