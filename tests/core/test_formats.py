"""Formats: each file is told by its bytes, its words are those that it holds, and what would harm is refused in words."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Callable

import lxml.html
from hypothesis import given, settings
from hypothesis import strategies as st

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats import archives, markup, tables
from keybundle.core.formats.opening import open_file
from keybundle.core.formats.pages import decode_page, load_sheets, read_native
from keybundle.core.formats.sheets import HEIGHT, WIDTH, lay_out_sheets, text_of
from keybundle.core.imaging.picture import to_grey
from tests.support import DataTest

PAGE = """<!DOCTYPE html><html><head><title>Not shown</title><style>p { color: red }</style></head><body>
<h1>Delivery &amp; return</h1><p>Twelve   lock
gates.</p><script>var hidden = "Twelve";</script><table><tr><th>Part</th><th>Price</th></tr><tr><td>Sluice</td>
<td>12.50&nbsp;EUR</td></tr></table><ul><li>Gr&ouml;&szlig;e</li><li>&#8364; 5</li></ul></body></html>"""


class Files(DataTest):
    def put(self, name: str, data: bytes) -> None:
        (self.folder / name).write_bytes(data)

    def refused(self, name: str) -> str:
        with self.assertRaises(InputProblem) as told:
            open_file(self.folder / name, name)
        return str(told.exception)


class Told(Files):
    def test_by_their_bytes_whatever_their_names_say(self) -> None:
        cases = {
            "a.dat": (b"Dear Ms Reedmace,\r\nthe gate leaks.\r\n", PageKind.TEXT, "text/plain"),
            "b.txt": (PAGE.encode(), PageKind.HTML, "text/html"),
            "c.csv": (b"Part;Price\r\nSluice;12,50\r\n", PageKind.CSV, "text/csv"),
            "d.txt": ("Größe".encode("utf-16"), PageKind.TEXT, "text/plain"),
            "e.txt": ("Größe 12 €".encode("cp1252"), PageKind.TEXT, "text/plain"),
        }  # fmt: skip
        for name, (data, kind, mime) in cases.items():
            self.put(name, data)
            found = open_file(self.folder / name, name)
            self.assertEqual((found.kind, found.mime, found.pages), (kind, mime, 1), name)
        for name in ("d.txt", "e.txt"):
            self.assertEqual(read_native(self.folder / name, PageKind.TEXT).words[0].text, "Größe", name)

    def test_a_text_that_calls_itself_a_picture_is_refused(self) -> None:
        for name in ("a.tif", "a.pdf", "a.zip"):
            self.put(name, b"Dear Ms Reedmace,")
            self.assertIn(f"“{name}” is neither", self.refused(name))
        self.put("b.txt", b"\0\1\2 no text at all")
        self.assertIn("“b.txt” is neither", self.refused("b.txt"))


class Words(Files):
    def test_rows_of_a_table(self) -> None:
        # Source: RFC 4180, section 2: quoted fields may hold commas, line breaks and doubled quotes.
        self.put("a.csv", b'"aaa","b\r\nbb","ccc"\r\nzzz,"y,yy","x""xx"\r\n')
        rows = [line.split("  ") for line in tables.read_lines(self.folder / "a.csv")]
        self.assertEqual(
            [[c.strip() for c in row if c.strip()] for row in rows], [["aaa", "b bb", "ccc"], ["zzz", "y,yy", 'x"xx']]
        )
        self.put("b.csv", "Teil;Preis\r\nGröße;12,50\r\n".encode())
        self.assertEqual(
            [line.split() for line in tables.read_lines(self.folder / "b.csv")], [["Teil", "Preis"], ["Größe", "12,50"]]
        )

    def test_what_a_reader_sees_of_a_page(self) -> None:
        # Source: libxml2's parser of HTML, by lxml: the text of the body without scripts.
        body = lxml.html.document_fromstring(PAGE).body
        for script in body.iter("script"):
            script.drop_tree()
        self.put("a.html", PAGE.encode())
        lines = list(markup.read_lines(self.folder / "a.html"))
        self.assertEqual(" ".join(lines).split(), " ".join(body.itertext()).split())
        self.assertEqual(
            lines, ["Delivery & return", "Twelve lock gates.", "Part  Price", "Sluice  12.50 EUR", "Größe", "€ 5"]
        )

    def test_what_never_closes_takes_no_longer_than_its_size(self) -> None:
        """Source: twice the size takes about twice the steps; what grew with the square took minutes at these sizes."""
        ends = {
            "<!": "the words at the end", "<!--": "the words at the end", "<![": "", "</": "", "<?": "the words at the end",
        }  # fmt: skip
        for sign, seen in ends.items():
            self.put("a.html", b"<html><body>" + sign.encode() * 300_000 + b" the words at the end")
            told = " ".join(markup.read_lines(self.folder / "a.html"))
            self.assertTrue(told.endswith(seen or "the words at the end"), sign)
        self.put("b.csv", ",".join(["x" * 2000] * 3000).encode() + b"\n1,2\n")
        self.assertEqual(len(lay_out_sheets(tables.read_lines(self.folder / "b.csv")).sheets), 390)

    @given(st.lists(st.text(st.characters(exclude_categories=("C", "Z")), max_size=300), max_size=400))
    @settings(max_examples=40, deadline=None)
    def test_no_word_is_lost_on_sheets_and_each_has_its_place(self, lines: list[str]) -> None:
        sheets = lay_out_sheets(lines)
        text = text_of(sheets)
        self.assertEqual("".join(w.text for w in text.words), "".join("".join(line.split()) for line in lines))
        for number, sheet in enumerate(sheets.sheets):
            self.assertTrue(all(len(line) <= sheets.signs for line in sheet))
            for word in sheets.words(number):
                self.assertTrue(0 <= word.box[0] < word.box[2] <= WIDTH and 0 <= word.box[1] < word.box[3] <= HEIGHT)

    def test_words_stand_where_they_are_drawn(self) -> None:
        self.put("a.txt", b"Bill number: R-2041\n\n   Total  12.50\n" * 60)
        path = self.folder / "a.txt"
        text, ink = read_native(path, PageKind.TEXT), to_grey(decode_page(path, kind=PageKind.TEXT)) < 128
        self.assertEqual(ink.shape, (HEIGHT, WIDTH))
        self.assertGreater(len(load_sheets(path, PageKind.TEXT).sheets), 1)
        around = ink.copy()
        for word in (w for w in text.words if w.box[3] < HEIGHT):
            left, top, right, bottom = word.box
            self.assertTrue(ink[top:bottom, left:right].any(), word)
            around[top - 3 : bottom + 4, left - 2 : right + 2] = False
        self.assertFalse(around[: HEIGHT - 120].any(), "no ink beside the words")
        left, top, right, bottom = text.captured_box([text.words[-1]])
        self.assertTrue(0 <= left <= right <= WIDTH and 0 <= top <= bottom <= HEIGHT, "of a further sheet: at the edge")


class Archives(Files):
    def pack(self, name: str, files: dict[str, bytes], how: int = zipfile.ZIP_DEFLATED) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", how) as made:
            for inner, data in files.items():
                made.writestr(inner, data)
        self.put(name, out.getvalue())
        return out.getvalue()

    def test_names_lead_nowhere_and_each_comes_out_as_it_was(self) -> None:
        self.pack("a.zip", {"../../out.txt": b"one", "/etc/b.txt": b"two", "deep/c\x1b.txt": b"three", "deep/": b""})
        found = open_file(self.folder / "a.zip", "a.zip")
        self.assertTrue(found.is_container)
        self.assertEqual([m.name for m in found.members], ["out.txt", "etc/b.txt", "deep/c\ufffd.txt"])
        for member, data in zip(found.members, (b"one", b"two", b"three"), strict=True):
            archives.take_out(self.folder / "a.zip", member.index, self.folder / "target", member.name)
            self.assertEqual((self.folder / "target").read_bytes(), data)

    def test_locked_and_swelling_members_are_told_and_left(self) -> None:
        packed = bytearray(self.pack("a.zip", {"a.txt": b"one", "b.txt": b"\0" * (40 << 20)}))
        # Source: APPNOTE 6.3.10, 4.4.4: bit 0 of the general purpose flag says that a file is encrypted.
        entry = packed.index(b"PK\x01\x02")
        packed[entry + 8 : entry + 10] = struct.pack("<H", struct.unpack("<H", packed[entry + 8 : entry + 10])[0] | 1)
        self.put("a.zip", bytes(packed))
        why = [m.why for m in open_file(self.folder / "a.zip", "a.zip").members]
        self.assertRegex(why[0], "“a.txt” is locked by a password")
        self.assertRegex(why[1], "“b.txt” would grow far beyond its size")

    def test_many_that_swell_a_little_are_held_to_the_same_measure(self) -> None:
        path = self.folder / "many.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
            for number in range(5):
                made.writestr(f"{number}.csv", b"0" * (archives.DENSE_BYTES // 3))
        whys = [member.why for member in archives.open(path, "many.zip").members]
        self.assertEqual([bool(why) for why in whys], [False, False, False, True, True])

    def test_damage_is_told_and_nothing_is_left_of_it(self) -> None:
        packed = bytearray(self.pack("a.zip", {"a.txt": b"Dear Ms Reedmace" * 100}, zipfile.ZIP_STORED))
        packed[200] ^= 1
        self.put("a.zip", bytes(packed))
        member = open_file(self.folder / "a.zip", "a.zip").members[0]
        with self.assertRaisesRegex(InputProblem, "“a.zip/a.txt” is damaged"):
            archives.take_out(self.folder / "a.zip", member.index, self.folder / "target", "a.zip/a.txt")
        self.assertFalse((self.folder / "target").exists())

    def test_what_is_no_zip_to_be_opened(self) -> None:
        cases: dict[str, tuple[Callable[[], object], str]] = {
            "cut.zip": (lambda: self.put("cut.zip", self.pack("cut.zip", {"a.txt": b"one"})[:-30]), "is a broken ZIP"),
            "none.zip": (lambda: self.pack("none.zip", {}), "holds no file"),
            "many.zip": (lambda: self.pack("many.zip", {f"{i}.txt": b"" for i in range(5001)}), "holds 5001 files"),
            # Source: ECMA-376 part 2, 10.1: the content types item; ODF 1.3 part 2, 3.3: the file "mimetype".
            "a.docx": (lambda: self.pack("a.docx", {"[Content_Types].xml": b"<Types/>"}), "is a file of an office program"),
            "a.odt": (lambda: self.pack("a.odt", {"mimetype": b"application/vnd.oasis.opendocument.text"}), "office program"),
        }  # fmt: skip
        for name, (make, said) in cases.items():
            make()
            self.assertRegex(self.refused(name), f"“{name}” .*{said}|{said}")
