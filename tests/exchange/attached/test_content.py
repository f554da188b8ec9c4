"""Files to attach, by their content: what is taken, and what is refused and why."""

import io
import unittest
import zipfile
import zlib
from unittest import mock

from pypdf import PdfWriter
from pypdf.generic import DictionaryObject, NameObject, TextStringObject

from bodkin.core.errors import BadInput
from bodkin.exchange.attached import pdf as pdf_checks
from bodkin.exchange.attached.content import LARGEST, checked_name, sort_of
from bodkin.exchange.attached.pdf_child import fault_of

PNG = b"\x89PNG\r\n\x1a\n" + b"\0\0\0\rIHDR" + b"\0" * 17 + b"\0\0\0\0IEND\xaeB`\x82"
JPEG = b"\xff\xd8\xff\xe0" + b"x" * 40 + b"\xff\xd9"


def pdf(**actions):
    """A page of paper; ``actions`` go into the catalog."""
    writer = PdfWriter()
    writer.add_blank_page(200, 200)
    for name, value in actions.items():
        writer.root_object[NameObject(f"/{name}")] = value
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def script(kind="/JavaScript"):
    return DictionaryObject({NameObject("/S"): NameObject(kind), NameObject("/JS"): TextStringObject("app.alert(1)")})


def zipped(**parts):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for name, content in parts.items():
            packed.writestr(name.replace("__", "/").replace("_dot_", "."), content)
    return out.getvalue()


def word(**more):
    return zipped(**{"[Content_Types]_dot_xml": "<Types/>", "word__document_dot_xml": "<w/>", **more})


def packed_objects(packed):
    """A PDF whose fourth object, the action on opening, stands in an object stream (ISO 32000-1, 7.5.7 and 7.5.8)."""
    stream = b"<< /Type /ObjStm /N 1 /First 4 /Filter /FlateDecode /Length %d >>\nstream\n" % len(packed)
    objects = {
        1: b"<< /Type /Catalog /Pages 2 0 R /OpenAction 4 0 R >>",
        2: b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        3: b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 9 9] >>",
        5: stream + packed + b"\nendstream",
    }
    body, rows = b"%PDF-1.5\n", {0: b"\0\0\0\0\0\xff", 4: b"\2\0\0\0\5\0"}
    for number, text in objects.items():
        rows[number] = b"\1" + len(body).to_bytes(4, "big") + b"\0"
        body += b"%d 0 obj\n%s\nendobj\n" % (number, text)
    at = len(body)
    rows[6] = b"\1" + at.to_bytes(4, "big") + b"\0"
    table = b"".join(rows[number] for number in range(7))
    head = b"6 0 obj\n<< /Type /XRef /Size 7 /W [1 4 1] /Root 1 0 R /Length %d >>\nstream\n" % len(table)
    return body + head + table + b"\nendstream\nendobj\nstartxref\n%d\n%%%%EOF" % at


class Taken(unittest.TestCase):
    def test_common_types(self):
        """Each by its content, whatever case the ending has."""
        for name, content, title in (
            ("plan.pdf", pdf(), "a PDF"), ("drawing.PNG", PNG, "a PNG picture"), ("photo.jpeg", JPEG, "a JPEG picture"),
            ("words.txt", "Olá, tudo bem?\n".encode(), "plain text"), ("letter.docx", word(), "a Word document"),
            ("letter.odt", zipped(mimetype="application/vnd.oasis.opendocument.text"), "an OpenDocument text"),
        ):  # fmt: skip
            self.assertEqual(sort_of(name, content).title, title)


class Refused(unittest.TestCase):
    def refused(self, name, content, words):
        with self.assertRaisesRegex(BadInput, words):
            sort_of(name, content)

    def test_a_lying_type(self):
        """Named as one thing, another by its content; the message names both."""
        self.refused("plan.pdf", PNG, "says a PDF, but by its content it is a PNG picture")
        self.refused("photo.jpg", pdf(), "says a JPEG picture, but by its content it is a PDF")
        self.refused("tool.exe", b"just words", r"says a \.exe file")
        self.refused("page", b"just words", "no type")
        self.refused("plan.pdf", b"MZ\x90\0\x03", "no file that can be attached")
        self.refused("cut.png", PNG[:-6], "no file that can be attached")

    def test_a_script_inside(self):
        """In a PDF, in an office file, as text; also where the PDF hides its name or packs its objects."""
        self.refused("a.pdf", pdf(OpenAction=script()), "holds a script")
        hidden = pdf(OpenAction=script()).replace(b"/JavaScript", b"/J#61v#61Script").replace(b"/JS ", b"/#4aS ")
        self.refused("a.pdf", hidden, "holds a script|damaged")
        self.refused("a.pdf", pdf(OpenAction=DictionaryObject({NameObject("/S"): NameObject("/Launch")})), "a program")
        self.refused("a.docx", word(word__vbaProject_dot_bin="x"), "macros or a program")
        self.refused("a.txt", b"#!/bin/sh\nrm -r .", "script or a web page")
        self.refused("a.txt", b"hello <script>alert(1)</script>", "script or a web page")
        self.refused("a.svg", b"<svg onload='x()'/>", "script or a web page")

    def test_a_script_in_a_packed_object(self):
        """An object stream holds the action, so that its name stands nowhere in the file."""
        body = packed_objects(zlib.compress(b"4 0 << /S /JavaScript /JS (x) >>"))
        self.assertNotIn(b"JavaScript", body)
        self.assertEqual(fault_of(body), "it holds a script")

    def test_other_files_inside_and_locks(self):
        """A PDF with a file attached to it, one with a password, one without pages, a damaged one."""
        writer = PdfWriter()
        writer.add_blank_page(9, 9)
        writer.add_attachment("list.txt", b"x")
        out = io.BytesIO()
        writer.write(out)
        self.refused("a.pdf", out.getvalue(), "holds (an)?other files?")
        locked, out = PdfWriter(), io.BytesIO()
        locked.add_blank_page(9, 9)
        locked.encrypt("secret", algorithm="RC4-128")
        locked.write(out)
        self.refused("a.pdf", out.getvalue(), "password")
        self.refused("a.pdf", b"%PDF-1.7\nnothing", "damaged|no pages")

    def test_size(self):
        """An empty file and one above 20 MB; a file that unpacks to far too much."""
        self.refused("a.txt", b"", "empty")
        self.refused("a.txt", b"x" * (LARGEST + 1), "larger than 20 MB")

    def test_a_stream_that_unpacks_without_end(self):
        """Objects packed a thousandfold end the process that looks, not this one, and the file is refused."""
        packer, zeros = zlib.compressobj(), b"0" * (16 << 20)
        body = packed_objects(b"".join([packer.compress(zeros) for _ in range(30)]) + packer.flush())
        with mock.patch.object(pdf_checks, "MEMORY", 320 << 20):
            self.refused("a.pdf", body, "too much memory|damaged")

    def test_names(self):
        """Path parts, hidden files, control signs, too long, none."""
        for name in ("../a.pdf", "a/b.pdf", "a\\b.pdf", "..", ".profile", "a\x00.pdf", "a\n.pdf", "", " ", "x" * 130):
            with self.subTest(name=name), self.assertRaisesRegex(BadInput, "^name: "):
                checked_name(name)
        self.assertEqual(checked_name(" Plan für Zoë 日本.pdf "), "Plan für Zoë 日本.pdf")
