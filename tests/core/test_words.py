"""What the core says is a code with parameters: one catalogue words it, and no sentence is stored."""

from __future__ import annotations

import ast
import io
import pickle
import re
import string
from pathlib import Path

from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from keybundle.core.base import messages
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import PSEUDO, Message, from_plain, from_stored, message, say, to_plain, to_stored
from keybundle.core.fields.locales import decimal_mark, is_day_first, is_locale
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from tests.support import ROOT, DataTest, acting, scanned_template, shared_pool

CORE = ROOT / "src" / "keybundle" / "core"
WORDS = CORE / "base" / "words"
ERRORS = {"InputProblem", "EnvironmentProblem", "Passing", "AppError", "NotAllowed", "OldFormat", "Held", "Refusal"}


def calls() -> list[tuple[Path, ast.Call, str, set[str]]]:
    """Every ``message(code, ...)`` of the core: where, its code, the names of its parameters."""
    found = []
    for path in sorted(CORE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", getattr(node.func, "attr", "")) == "message":
                first = node.args[0] if node.args else None
                codes = (first.body, first.orelse) if isinstance(first, ast.IfExp) else (first,)
                for code in codes:
                    if isinstance(code, ast.Constant) and isinstance(code.value, str):
                        found.append((path, node, code.value, {str(k.arg) for k in node.keywords}))
    return found


def other_codes() -> tuple[set[str], tuple[str, ...]]:
    """Every other text that may be a code, from a table, and how codes begin that are put together."""
    literals, beginnings = set(), set()
    for path in sorted(CORE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                literals.add(node.value)
            called = getattr(node.func, "id", "") if isinstance(node, ast.Call) else ""
            if called in ("message", "word") and node.args and isinstance(node.args[0], ast.JoinedStr):
                beginnings.add(ast.literal_eval(node.args[0].values[0]))
    return literals, tuple(beginnings)


class Catalogue(DataTest):
    def setUp(self) -> None:
        super().setUp()
        with (WORDS / "en.po").open("rb") as file:
            self.catalogue = read_po(file)
        self.words = {
            (e.id if isinstance(e.id, str) else e.id[0]): (e.string if isinstance(e.string, tuple | list) else (e.string,))
            for e in self.catalogue if e.id
        }  # fmt: skip

    def test_every_code_has_words_that_use_just_its_parameters(self) -> None:
        found = calls()
        self.assertGreater(len(found), 250)
        for path, node, code, given_ in found:
            where = f"{path.name}:{node.lineno} {code}"
            self.assertIn(code, self.words, where)
            for words in self.words[code]:
                used = {n.partition(".")[0].partition("[")[0] for _, n, _, _ in string.Formatter().parse(words) if n}
                self.assertLessEqual(used, given_, where)
                self.assertLessEqual(given_ - used, {"n"}, where)
        literals, beginnings = other_codes()
        unused = {
            code for code in set(self.words) - {code for _, _, code, _ in found} - literals
            if not code.startswith(beginnings)
        }  # fmt: skip
        self.assertEqual(unused, set(), "words that nothing says")

    def test_the_compiled_catalogue_is_the_written_one(self) -> None:
        out = io.BytesIO()
        write_mo(out, self.catalogue, use_fuzzy=True)
        self.assertEqual(out.getvalue(), (WORDS / "en.mo").read_bytes(), "run scripts/words")

    def test_codes_are_only_ever_added(self) -> None:
        told = (WORDS / "codes.txt").read_text().split()
        self.assertEqual(told, sorted(set(told)))
        self.assertLessEqual(set(told), set(self.words), "a code that was given once stays")
        self.assertEqual(set(self.words) - set(told), set(), "write new codes into words/codes.txt")

    def test_no_sentence_reaches_an_error_but_through_the_catalogue(self) -> None:
        for path in sorted(CORE.rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ERRORS and node.args:
                    first = node.args[0]
                    is_plain = isinstance(first, ast.JoinedStr) or (
                        isinstance(first, ast.Constant) and isinstance(first.value, str) and " " in first.value
                    )
                    self.assertFalse(is_plain, f"{path.name}:{node.lineno} {ast.unparse(first)[:80]}")

    def test_a_plural_is_chosen_by_its_number(self) -> None:
        said = [str(message("store.sides-without-place", n=n)) for n in (1, 2)]
        self.assertEqual(said, ["1 side without a place yet", "2 sides without a place yet"])
        with self.assertRaises(KeyError):
            message("nothing.of-the-kind")


class Kept(DataTest):
    plain = st.text(st.characters(exclude_categories=["Cs"]), max_size=20)

    @given(plain, plain)
    def test_a_message_comes_back_from_store_and_worker_and_is_worded_elsewhere(self, name: str, known: str) -> None:
        inner = message("commands.no-document-side")
        made = message("capture.no-routine-known", name=name, known=known)
        for again in (pickle.loads(pickle.dumps(made)), from_plain(to_plain(made)), from_stored(to_stored(made))):
            self.assertIsInstance(again, Message)
            self.assertEqual((again, again.code, again.params), (made, made.code, made.params))
        self.assertEqual(from_stored(to_stored(name)), name, "what a person typed stays as it is")
        far = say(made, PSEUDO)
        self.assertTrue(far.startswith("⟦") and far.endswith("⟧") and len(far) > len(made))
        self.assertIn(name, far)
        nested = message("capture.no-routine-known", name=inner, known=known)
        self.assertEqual(say(nested, PSEUDO).count("⟦") - known.count("⟦"), 2, "what stands in it is worded too")
        error = pickle.loads(pickle.dumps(InputProblem(made)))
        self.assertEqual((str(error), error.args[0].code), (str(made), made.code))

    def test_a_code_that_is_gone_is_told_by_its_own_name(self) -> None:
        self.assertIn("no.more", from_plain({"code": "no.more", "params": {"n": 1}}))

    def test_problems_labels_and_troubles_lie_in_the_store_as_codes(self) -> None:
        data, batch_id = self.demo_data(scanned=True), scanned_template()[1]
        ws = open_workspace(data)
        self.addCleanup(ws.close)
        line = Line(ws, shared_pool())
        self.addCleanup(line.close)
        me = acting(ws)
        document = ws.batches.load(batch_id).in_order()[0].id
        slip.choose_type(me, line, batch_id, document, "Bill")
        slip.enter_value(me, line, batch_id, document, "Bill date", "30 Feb 2026")
        value = ws.batches.load(batch_id).document(document).values["Bill date"]
        self.assertIsInstance(value.problem, Message)
        self.assertIn("is not a date", value.problem)
        self.assertTrue(say(value.problem, PSEUDO).startswith("⟦"))
        undo = bench.load_bench(me, batch_id).undo
        self.assertIsInstance(undo, Message)
        self.assertEqual(undo, "set Bill date")
        with ws.place.database.read() as c:
            for table, column in (("batch_value", "data"), ("step", "label"), ("step", "delta"), ("page", "note")):
                rows = c.execute(text(f"SELECT {column} FROM {table} WHERE {column} IS NOT NULL")).scalars().all()
                said = [r for r in rows if re.search(r"is not a date|set Bill date|check whether a document", str(r))]
                self.assertEqual(said, [], f"{table}.{column}")
        why = bench.load_bench(me, batch_id).facts[document].why_not
        self.assertIsInstance(why, Message)


class Locales(DataTest):
    def test_numbers_and_dates_follow_cldr(self) -> None:
        # Source: CLDR (through Babel), and DIN 1333, ANSI: a comma in German, a point and the month first in the United States.
        told = {
            name: (decimal_mark(name), is_day_first(name)) for name in ("en_GB", "en_US", "de_DE", "pt_BR", "ja_JP")
        }
        self.assertEqual(told, {
            "en_GB": (".", True), "en_US": (".", False), "de_DE": (",", True), "pt_BR": (",", True), "ja_JP": (".", False),
        })  # fmt: skip
        self.assertTrue(is_locale("sv_SE"))
        self.assertFalse(is_locale("xx") or is_locale("Atlantis"))
        self.assertEqual(messages.say("as it is", PSEUDO), "as it is")
