"""Registers in Prepare: columns, entries typed, pasted or from a CSV file, and how many documents use them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal

from keybundle.core.setup.model import Register, Setup
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.prepare import register_files, registers
from keybundle.core.workflows.prepare.parts import change_part
from keybundle.core.workflows.prepare.register_files import CsvLook
from keybundle.desktop.presenters.prepare.editing import Kept
from keybundle.desktop.presenters.prepare.forms import FormField, Section, values_of
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState, say_documents
from keybundle.desktop.words import tr, trn

Entry = dict[str, str]
__all__ = ["CsvLook", "RegistersPresenter", "RegistersState"]


@dataclass(frozen=True)
class RegistersState(PartsState):
    """What the editor of registers shows besides: the keys of the entries in sight, and how many there are in all."""

    columns: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    words: str = ""
    total: int = 0


class RegistersPresenter(PartsPresenter):
    """State and verbs of the editor of registers."""

    kind = "registers"
    looked_at = Signal(object)
    refused = Signal(str)

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
        )  # fmt: skip

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a register has in each field; a column is known by its name."""
        assert isinstance(part, Register)
        return {**values_of(part, sections), "columns": tuple({"id": c, "name": c} for c in part.columns)}

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return the columns of the entries in sight."""
        columns = part.columns if isinstance(part, Register) else ()
        other = part is None or part.id != self.state.chosen
        return {"columns": columns, **({"keys": (), "words": "", "total": 0} if other else {})}

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a register as changes make it."""
        if "columns" in changes:
            return change_part(part, {"columns": tuple(x["name"] for x in changes["columns"])})
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
            lambda _: Kept(
                tr("column {old}: {new}", old=old, new=new), lambda: registers.rename_column(session, chosen, new, old)
            ),
            lambda _: self.refresh(), self._could_not,
        )  # fmt: skip

    # -- entries --------------------------------------------------------------------------------------------------------

    def was_shown(self) -> None:
        """Ask for the keys of the entries in sight."""
        self._ask_keys()

    def filter(self, words: str) -> None:
        """Show the entries that hold these words."""
        if words != self.state.words:
            self._show(words=words)
            self._ask_keys()

    def _ask_keys(self) -> None:
        session, chosen, words = self._s.session, self.state.chosen, self.state.words
        if not chosen:
            return

        def load() -> tuple[list[str], int]:
            keys = registers.list_keys(session, chosen, words)
            return keys, len(registers.list_keys(session, chosen)) if words.strip() else len(keys)

        def done(found: tuple[list[str], int]) -> None:
            if self.state.chosen == chosen and self.state.words == words:
                self._show(keys=tuple(found[0]), total=found[1])

        self._s.runner.query(load, done, key="entries", owner=self)

    def load(self, keys: list[str], done: Callable[[Mapping[str, Entry]], None]) -> None:
        """Read entries, and hand them over when they are read."""
        session, chosen = self._s.session, self.state.chosen
        self._s.runner.query(lambda: registers.load_entries(session, chosen, keys), done, owner=self)

    def change_entry(self, key: str, column: str, text: str) -> None:
        """Change one value of an entry."""
        session, chosen = self._s.session, self.state.chosen
        register = self.state.part
        assert isinstance(register, Register)
        fresh = text.strip() if column == register.key else key

        def kept(before: Entry) -> Kept:
            told = tr("{key}: {column}", key=key, column=column)
            return Kept(told, lambda: registers.change_entry(session, chosen, fresh, before))

        self._editing.keep(
            lambda: registers.change_entry(session, chosen, key, {column: text}), kept, lambda _: self._entries_changed(),
            self._entry_refused,
        )  # fmt: skip

    def _entry_refused(self, told: str) -> None:
        self._could_not(told)
        self._ask_keys()

    def _entries_changed(self) -> None:
        self._show(undo=self._editing.undo_told, problem="", keys=())
        self._ask_keys()

    def add_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Add entries: one that was typed, or a block that was pasted."""
        session, chosen = self._s.session, self.state.chosen
        register = self.state.part
        if not isinstance(register, Register):
            return
        place = register.columns.index(register.key)
        keys = [cells[place].strip() for cells in rows if len(cells) > place]

        def kept(_: object) -> Kept:
            return Kept(tr("entries added"), lambda: registers.remove_entries(session, chosen, keys))

        def done(found: tuple[int, tuple[str, ...]]) -> None:
            self.said.emit(trn("{n:,} entry added", "{n:,} entries added", found[0]))
            self._entries_changed()
            if found[1]:
                self.refused.emit("\n".join([tr("Some rows were left out:"), *found[1]]))

        self._editing.keep(lambda: registers.add_entries(session, chosen, rows), kept, done, self._could_not)

    def remove_entries(self, keys: Sequence[str]) -> None:
        """Remove entries; how many documents hold their keys is said, and Undo puts them back."""
        session, chosen, keys = self._s.session, self.state.chosen, list(keys)

        def work() -> tuple[list[tuple[int, Entry]], int]:
            used = registers.count_uses(session, chosen, keys)
            return registers.remove_entries(session, chosen, keys), used

        def kept(found: tuple[list[tuple[int, Entry]], int]) -> Kept:
            return Kept(tr("entries removed"), lambda: registers.put_back_entries(session, chosen, found[0]))

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
