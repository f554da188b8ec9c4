"""The log of pages, sets of sections, and what was passed on, as the store keeps them."""

from datetime import timedelta

from sqlalchemy import delete

from bodkin.core.errors import Conflict, NotFound
from bodkin.store.tables import PageSet, Remark
from bodkin.store.writes.pages import (
    NewPage,
    drop_set,
    hand_over,
    keep_set,
    note_pages,
    page_line,
    page_sets,
    pages_logged,
    students_with_pages,
)
from bodkin.store.writes.views import mark_read, pass_on, remarks_for
from tests.support.trying import AT, Trying


class Emptied(Trying):
    """Other tests keep sets and remarks on the same demo; here all of them are away until it is rolled back."""

    def setUp(self):
        super().setUp()
        for table in (PageSet, Remark):
            self.session.execute(delete(table))


class Log(Trying):
    """Lines are only ever added: others' stand before those made here."""

    def made(self, students=("a", "b"), by=0, at=AT, **more):
        plain = {"audience": "family", "sections": ["growth", "contact"], "language": "pt", "form": "zip"}
        pages = [NewPage(student, f"digest of {student}") for student in students]
        note_pages(self.session, pages, by=self.people[by], at=at, **{**plain, **more})

    def test_a_line_a_student_with_what_stands_on_it(self):
        """For whom, the sections in their order, language, form, digest; nothing is logged of nobody."""
        self.made()
        second, first, *_ = pages_logged(self.session, None, 10)
        self.assertEqual((first.student_id, second.student_id), ("a", "b"))
        self.assertEqual((first.sections, first.language, first.form, first.sha256),
                         (("growth", "contact"), "pt", "zip", "digest of a"))  # fmt: skip
        before = self.rows("page_log")
        self.made(())
        self.assertEqual(self.rows("page_log"), before)

    def test_pages_of_lines_follow_each_other(self):
        """The latest first, so many at a time, the next begin before the last."""
        self.made([f"s{at}" for at in range(7)])
        first = pages_logged(self.session, None, 3)
        second = pages_logged(self.session, first[-1].id, 3)
        self.assertEqual([one.student_id for one in (*first, *second)], ["s6", "s5", "s4", "s3", "s2", "s1"])

    def test_whose_and_about_whom(self):
        """Only about students in reach, only those of one person, both at once."""
        self.made(("a", "b"), by=0)
        self.made(("b", "c"), by=1)

        def shown(**only):
            lines = pages_logged(self.session, None, 10, **only)
            return [(one.student_id, one.by) for one in lines if one.student_id in ("a", "b", "c")]

        names = [name for _, name in shown()]
        self.assertEqual([student for student, _ in shown()], ["c", "b", "b", "a"])
        self.assertEqual([student for student, _ in shown(reach={"b"})], ["b", "b"])
        self.assertEqual([student for student, _ in shown(by=self.people[1])], ["c", "b"])
        self.assertEqual(shown(reach={"b"}, by=self.people[0]), [("b", names[-1])])
        self.assertEqual(shown(reach=set()), [])

    def test_handed_over_more_than_once(self):
        """Each time with who, to whom and when, on that line alone."""
        self.made()
        second, first, *_ = pages_logged(self.session, None, 2)
        for to in ("the mother", "the father"):
            hand_over(self.session, first.id, to, self.people[1], AT)
        self.assertEqual([one.to for one in page_line(self.session, first.id).handed], ["the mother", "the father"])
        self.assertEqual(page_line(self.session, second.id).handed, ())
        with self.assertRaises(NotFound):
            page_line(self.session, 10**9)

    def test_who_has_pages_since_a_time(self):
        """Each student once; what was made before the time does not count."""
        self.made(("old",), at=AT - timedelta(days=9))
        self.made(("a", "b"))
        self.made(("a",))
        self.assertEqual(students_with_pages(self.session, AT) & {"old", "a", "b"}, {"a", "b"})
        self.assertLessEqual({"old", "a", "b"}, students_with_pages(self.session, AT - timedelta(days=10)))


class Sets(Emptied):
    def test_kept_by_name_and_given_up(self):
        """In the order of names, sections in theirs; a name is taken once; undo brings a set back."""
        keep_set(self.session, "Short", "family", ["contact", "growth"], self.people[0])
        keep_set(self.session, "All", "team", ["internal"], self.people[0])
        names = [(one.name, one.audience, one.sections) for one in page_sets(self.session)]
        self.assertEqual(names, [("All", "team", ("internal",)), ("Short", "family", ("contact", "growth"))])
        with self.assertRaisesRegex(Conflict, "named Short already"):
            keep_set(self.session, "Short", "student", ["goals"], self.people[1])
        before = self.rows("page_set")
        name, changes = drop_set(self.session, page_sets(self.session)[1].id)
        self.assertEqual((name, len(page_sets(self.session))), ("Short", 1))
        self.undone(self.kept(changes, "page set"))
        self.assertEqual(self.rows("page_set"), before)
        with self.assertRaises(NotFound):
            drop_set(self.session, 10**9)


class Remarks(Emptied):
    def passed(self, to=1, text="Look", student=None):
        return pass_on(self.session, by=self.people[0], to=self.people[to], path="/growth?a=b", student=student,
                       text=text, at=AT)  # fmt: skip

    def test_the_latest_first_to_the_one_it_is_for(self):
        """Others have none of it; so many at the most."""
        for at in range(4):
            self.passed(text=f"r{at}")
        self.passed(to=2, text="another's")
        self.assertEqual([one.text for one in remarks_for(self.session, self.people[1])], ["r3", "r2", "r1", "r0"])
        self.assertEqual([one.text for one in remarks_for(self.session, self.people[1], 2)], ["r3", "r2"])
        self.assertEqual(remarks_for(self.session, self.people[0]), [])

    def test_seen_by_its_reader_alone(self):
        """Marked once it is opened; for another person there is no such remark."""
        key = self.passed(student="SR1")
        with self.assertRaises(NotFound):
            mark_read(self.session, key, self.people[2], AT)
        found = remarks_for(self.session, self.people[1])[0]
        self.assertEqual((found.read, found.student, found.path), (False, "SR1", "/growth?a=b"))
        mark_read(self.session, key, self.people[1], AT)
        self.session.expire_all()
        self.assertTrue(remarks_for(self.session, self.people[1])[0].read)
