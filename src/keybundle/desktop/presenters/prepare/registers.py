"""Registers in Prepare: columns, entries typed, pasted or from a CSV file, and how many documents use them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Register, Setup
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.prepare.parts.parts import change_part
from keybundle.core.workflows.prepare.registers import proposals, register_files, register_sources, registers
from keybundle.core.workflows.prepare.registers.proposals import Proposed
from keybundle.core.workflows.prepare.registers.register_files import CsvLook
from keybundle.core.workflows.prepare.registers.register_sources import Refreshed, TableLook
from keybundle.core.workflows.session.entries import BroughtBack, EntriesPast
from keybundle.desktop.presenters.asking import Asked, Found
from keybundle.desktop.presenters.prepare.forms import FormField, Section, values_of
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState, PastState, say_documents
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import tr, trn

Entry = dict[str, str]
__all__ = ["CsvLook", "RegistersPresenter", "RegistersState"]


@dataclass(frozen=True)
class RegistersState(PartsState):
    """What the editor of registers shows besides: the keys of the entries in sight, and how many there are in all."""

    columns: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    words: str = ""
    sort: tuple[str, bool] = ("", False)
    version: int = 0
    total: int = 0
    proposed: tuple[tuple[int, str], ...] = ()
    can_add: bool = False


class RegistersPresenter(PartsPresenter):
    """State and verbs of the editor of registers."""

    kind = "registers"
    row_not_added = Signal(str)
    looked_at = Signal(object)
    _look: TableLook | None = None
    refused = Signal(str)

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how the editor was left."""
        return self._s.remembered

    def first_state(self) -> RegistersState:
        """Return the state before anything is known."""
        return RegistersState()

    def note(self, setup: Setup, part: Named) -> str:
        """Return the columns of a register."""
        assert isinstance(part, Register)
        return ", ".join(part.columns)

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about a register but its entries."""
        assert isinstance(part, Register)
        source = [
            FormField("source.url", tr("Address"), hint=tr("empty: its entries are kept here"),
                      help=tr("Such as postgresql://reader@host/stock or sqlite:////srv/stock.db; no password in it.")),
        ]  # fmt: skip
        if part.source.url:
            tables = self._look.tables if self._look is not None else ()
            columns = self._look.columns if self._look is not None else ()
            source += [
                FormField("source.table", tr("Table"), offers=tables,
                          help=tr("There are {tables}", tables=", ".join(tables)) if tables else ""),
                *(
                    FormField(f"source.columns.{c}", tr("{column} is its", column=c), offers=columns, hint=c)
                    for c in part.columns
                ),
                FormField("source.every_minutes", tr("Read every"), "whole", unit=tr("minutes"), high=10080,
                          none=tr("only when asked")),
                FormField("source.password_file", tr("File with the password"), hint=tr("that only its owner may read")),
            ]  # fmt: skip
        return (
            Section(
                tr("Register"),
                (
                    FormField("name", tr("Name"), longest=80),
                    FormField("columns", tr("Columns"), "items", hint=tr("Name of a column, Enter")),
                    FormField(
                        "key", tr("Key"), "pick", choices=tuple((c, c) for c in part.columns),
                        help=tr("The column that tells one entry from another."),
                    ),
                ),
            ),
            Section(tr("Read from a database"), tuple(source),
                    help=tr("A copy is kept and used while the database is away.") if part.source.url else ""),
        )  # fmt: skip

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a register has in each field; a column is known by its name."""
        assert isinstance(part, Register)
        plain = (
            Section(s.title, tuple(f for f in s.fields if not f.name.startswith("source.columns."))) for s in sections
        )
        named = {f"source.columns.{c}": part.source.columns.get(c, "") for c in part.columns}
        return {**values_of(part, plain), **named, "columns": tuple({"id": c, "name": c} for c in part.columns)}

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return the columns of the entries in sight."""
        columns = part.columns if isinstance(part, Register) else ()
        other = part is None or part.id != self.state.chosen
        return {"columns": columns, **({"keys": (), "words": "", "total": 0} if other else {})}

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a register as changes make it."""
        if "columns" in changes:
            return change_part(part, {"columns": tuple(x["name"] for x in changes["columns"])})
        name, value = next(iter(changes.items()))
        if name.startswith("source.columns."):
            named = {**part.source.columns, name.removeprefix("source.columns."): value}
            return change_part(part, {"source.columns": {c: n for c, n in named.items() if n}})
        return change_part(part, changes)

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change the register; a column that gets another name takes the entries and the fields along."""
        for item in changes.get("columns", ()):
            if item["id"] and item["id"] != item["name"]:
                self._rename_column(item["id"], item["name"])
                return
        super().change(changes)

    def _rename_column(self, old: str, new: str) -> None:
        session, chosen = self._s.session, self.state.chosen
        self._editing.keep(
            lambda: registers.rename_column(session, chosen, old, new),
            lambda _: Undo(
                tr("column {old}: {new}", old=old, new=new), lambda: registers.rename_column(session, chosen, new, old)
            ),
            lambda _: self.refresh(), self._could_not,
        )  # fmt: skip

    def load_inner_past(self, part_id: str) -> list[PastState]:
        """Return when entries of a register were taken away or changed by many at once."""
        return [self._tell_past(x) for x in registers.list_entries_history(self._s.session, part_id)]

    def _tell_past(self, past: EntriesPast) -> PastState:
        counts = [
            (past.removed, trn("{n:,} entry taken away", "{n:,} entries taken away", past.removed)),
            (past.changed, trn("{n:,} entry changed", "{n:,} entries changed", past.changed)),
            (past.added, trn("{n:,} entry added", "{n:,} entries added", past.added)),
        ]
        what = ", ".join(told for n, told in counts if n)
        told = tr(
            "{when}   {who}   {what}", when=self._s.say_time(past.at), who=past.who or tr("the machine"), what=what
        )
        return PastState(past.seq, told, bool(past.removed or past.changed), past.at, is_inner=True)

    def go_back(self, state: PastState) -> None:
        """Go back to an earlier state; or bring back the entries that were taken away then, and what changed ones said."""
        if not state.is_inner:
            super().go_back(state)
            return
        seq = state.revision
        session, chosen = self._s.session, self.state.chosen

        def take_back(found: BroughtBack) -> None:
            registers.remove_entries(session, chosen, found.keys)
            registers.change_entries(session, chosen, found.before)

        def kept(found: BroughtBack) -> Undo:
            return Undo(tr("entries brought back"), lambda: take_back(found))

        def done(found: BroughtBack) -> None:
            back = trn("{n:,} entry brought back", "{n:,} entries brought back", len(found.keys))
            again = trn("{n:,} says what it said before", "{n:,} say what they said before", len(found.before))
            told = ", ".join(t for some, t in ((found.keys, back), (found.before, again)) if some)
            self.said.emit(told or tr("There is nothing to bring back: all of it is there, or was changed since."))
            self._entries_changed()

        self._editing.keep(lambda: registers.go_back_entries(session, chosen, seq), kept, done, self._could_not)

    # -- entries --------------------------------------------------------------------------------------------------------

    def choose(self, part_id: str) -> None:
        """Show another register."""
        self._look = None if part_id != self.state.chosen else self._look
        super().choose(part_id)

    def was_shown(self) -> None:
        """Ask for the keys of the entries in sight, and what the database holds where they are read from one."""
        self._ask_keys()
        session, register = self._s.session, self.state.part
        if not isinstance(register, Register) or not register.source.url:
            self._look = None
            return

        def done(look: TableLook) -> None:
            if look != self._look and self.state.part is not None:
                self._look = look
                self._show_part(self._s.workspace.setup, self.state.part)

        self._s.runner.query(
            lambda: register_sources.look_into(session, register.id), done, key="look into", owner=self, kind="devices",
            on_error=lambda told: self._show(problem=told),
        )  # fmt: skip

    def read_now(self) -> None:
        """Read the register from its database now."""
        session, chosen = self._s.session, self.state.chosen

        def done(found: Refreshed) -> None:
            self.said.emit(
                tr("{entries:,} entries: {added:,} new, {changed:,} changed, {removed:,} gone", entries=found.entries,
                   added=found.added, changed=found.changed, removed=found.removed)
            )  # fmt: skip
            self._show(problem="")
            self._entries_changed()

        self._s.runner.long(
            lambda: register_sources.refresh_register(session, chosen), done, owner=self, on_error=self._could_not
        )

    def filter(self, words: str) -> None:
        """Show the entries that hold these words."""
        if words != self.state.words:
            self._show(words=words)
            self._ask_keys()

    def _ask_keys(self) -> None:
        session, chosen, words, sort = self._s.session, self.state.chosen, self.state.words, self.state.sort
        if not chosen:
            return

        def load() -> tuple[list[str], int, list[Proposed]]:
            keys = registers.list_keys(session, chosen, words, by=sort[0], descending=sort[1])
            total = len(registers.list_keys(session, chosen)) if words.strip() else len(keys)
            return keys, total, proposals.list_proposed(session, proposals.ENTRY, chosen)

        def done(found: tuple[list[str], int, list[Proposed]]) -> None:
            if (self.state.chosen, self.state.words, self.state.sort) == (chosen, words, sort):
                waiting = tuple(
                    (p.id, tr("{entry}, proposed by {who}", entry="; ".join(x for x in p.row.values() if x), who=p.who))
                    for p in found[2]
                )
                self._show(
                    keys=tuple(found[0]), total=found[1], version=self.state.version + 1, proposed=waiting,
                    can_add=self._s.may(Right.ADD_ENTRIES),
                )  # fmt: skip

        self._s.runner.query(load, done, key="entries", owner=self)

    def decide(self, proposal: int, *, take: bool) -> None:
        """Take a proposed entry, or do not."""
        session = self._s.session

        def done(_: object) -> None:
            self.said.emit(tr("The entry is in the register now.") if take else tr("The entry was not taken."))
            self._entries_changed()

        self._s.runner.change(
            lambda: proposals.decide_proposed(session, proposal, take=take), done, lane="setup", owner=self,
            on_error=self._could_not,
        )  # fmt: skip

    def load(self, keys: list[str], done: Callable[[Mapping[str, Entry]], None]) -> None:
        """Read entries, and hand them over when they are read."""
        session, chosen = self._s.session, self.state.chosen
        self._s.runner.query(lambda: registers.load_entries(session, chosen, keys), done, owner=self)

    def complete(self, asked: Asked, typed: str, then: Callable[[Found], None]) -> None:
        """Offer what other entries have in a column."""
        session, chosen = self._s.session, self.state.chosen

        def done(found: list[tuple[str, int]]) -> None:
            then([(value, trn("{n:,} entry", "{n:,} entries", n)) for value, n in found])

        self._s.runner.query(
            lambda: registers.complete_column(session, chosen, asked.field, typed), done, key="complete", owner=self
        )

    def asked(self, column: str) -> Asked | None:
        """Return what an editor must know of a column; nothing of the key, which no other entry has."""
        part = self.state.part
        return Asked("", column, column) if isinstance(part, Register) and column != part.key else None

    def sort(self, column: str, *, descending: bool) -> None:
        """List the entries by a column; empty: in the order of the register."""
        self._show(sort=(column, descending))
        self._ask_keys()

    def change_entries(self, changes: Mapping[str, Mapping[str, str]]) -> None:
        """Change values of entries, all or none; one undo puts them back."""
        session, chosen = self._s.session, self.state.chosen
        first = next(iter(changes.items()), None)
        if first is None:
            return

        def kept(before: Mapping[str, Entry]) -> Undo:
            several = trn("{n:,} entry", "{n:,} entries", len(before))
            told = tr("{key}: {column}", key=first[0] if len(before) == 1 else several, column=", ".join(first[1]))
            return Undo(told, lambda: registers.change_entries(session, chosen, before))

        self._editing.keep(
            lambda: registers.change_entries(session, chosen, changes), kept, lambda _: self._entries_changed(),
            self._entry_refused,
        )  # fmt: skip

    def _entry_refused(self, told: str) -> None:
        self._could_not(told)
        self._ask_keys()

    def _entries_changed(self) -> None:
        self._show(undo=self._editing.undo_told, problem="")
        self._ask_keys()

    def add_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Add entries: one that was typed, or a block that was pasted."""
        session, chosen = self._s.session, self.state.chosen
        register = self.state.part
        if not isinstance(register, Register):
            return
        place = register.columns.index(register.key)
        keys = [cells[place].strip() for cells in rows if len(cells) > place]

        def kept(_: object) -> Undo:
            return Undo(tr("entries added"), lambda: registers.remove_entries(session, chosen, keys))

        def done(found: tuple[int, tuple[str, ...]]) -> None:
            self.said.emit(trn("{n:,} entry added", "{n:,} entries added", found[0]))
            self._entries_changed()
            if found[1]:
                self.refused.emit("\n".join([tr("Some rows were left out:"), *found[1]]))

        def refused(told: str) -> None:
            self._could_not(told)
            if len(rows) == 1:
                self.row_not_added.emit("; ".join(rows[0]))

        self._editing.keep(lambda: registers.add_entries(session, chosen, rows), kept, done, refused)

    def remove_entries(self, keys: Sequence[str]) -> None:
        """Remove entries; how many documents hold their keys is said, and Undo puts them back."""
        session, chosen, keys = self._s.session, self.state.chosen, list(keys)

        def work() -> tuple[list[tuple[int, Entry]], int]:
            used = registers.count_uses(session, chosen, keys)
            return registers.remove_entries(session, chosen, keys), used

        def kept(found: tuple[list[tuple[int, Entry]], int]) -> Undo:
            return Undo(tr("entries removed"), lambda: registers.put_back_entries(session, chosen, found[0]))

        def done(found: tuple[list[tuple[int, Entry]], int]) -> None:
            gone = trn(
                "{n:,} entry removed; Undo puts it back.", "{n:,} entries removed; Undo puts them back.", len(found[0])
            )
            still = (
                tr(" {documents} hold such a value and keep it.", documents=say_documents(found[1])) if found[1] else ""
            )
            self.said.emit(gone + still)
            self._entries_changed()

        self._editing.keep(work, kept, done, self._could_not)

    # -- CSV ------------------------------------------------------------------------------------------------------------

    def look_at(self, path: Path) -> None:
        """Look at a CSV file: its columns, its first rows, and which column of the register each could be."""
        session, chosen = self._s.session, self.state.chosen
        self._s.runner.query(
            lambda: register_files.look_at_csv(session, chosen, path), self.looked_at.emit, key="csv", owner=self,
            on_error=self._could_not,
        )  # fmt: skip

    def bring_in(self, look: CsvLook, mapping: Mapping[str, str]) -> None:
        """Put the entries of a CSV file in place of the register's; ``mapping`` says which of its columns each one is."""
        session, chosen = self._s.session, self.state.chosen

        def done(entries: int) -> None:
            self.said.emit(trn("{n:,} entry brought in", "{n:,} entries brought in", entries))
            self._entries_changed()

        self._s.runner.change(
            lambda: register_files.import_register(session, chosen, look.path, mapping), done, lane="setup", owner=self,
            on_error=self.refused.emit,
        )  # fmt: skip
