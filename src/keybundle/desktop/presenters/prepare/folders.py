"""Folders in Prepare: made in advance, renamed and merged, and the values that they give their documents."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.progress import CancelToken, Progress
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.workflows.index.slip_help import MOST_FOLDERS, list_folders
from keybundle.core.workflows.index.tags import read_tags
from keybundle.core.workflows.keep.documents.correcting import Corrected, take_back_correction
from keybundle.core.workflows.keep.folders import giving_values, making, moving
from keybundle.core.workflows.keep.folders.giving_values import Disagreeing, Given
from keybundle.core.workflows.keep.folders.making import Paths
from keybundle.core.workflows.keep.folders.moving import Renamed, Renaming
from keybundle.core.workflows.prepare.cabinets import areas
from keybundle.core.workflows.prepare.parts import tags
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.partly import say_rest
from keybundle.desktop.presenters.prepare.form_drafts import lines_of
from keybundle.desktop.presenters.prepare.parts import say_documents
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.words import tr, trn, worded

SLASH = " / "

_Loaded = tuple[list[Given], Paths, Mapping[tuple[str, ...], tuple[str, ...]], Mapping[tuple[str, ...], str]]


@dataclass(frozen=True)
class FoldersState:
    """All that is shown of a cabinet: what its folders give (folder, field, value), and what can be chosen."""

    cabinets: tuple[tuple[str, str], ...] = ()
    cabinet: str = ""
    levels: tuple[str, ...] = ()
    fields: tuple[tuple[str, str], ...] = ()
    given: tuple[Given, ...] = ()
    folders: tuple[str, ...] = ()
    words: str = ""
    has_more: bool = False
    tags: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    areas: tuple[tuple[str, str], ...] = ()
    own_areas: Mapping[str, str] = field(default_factory=dict)
    registers: tuple[tuple[str, str], ...] = ()
    allowed: tuple[str, ...] = ()
    problem: str = ""
    doing: str = ""
    undo: str = ""
    can_change: bool = False


@dataclass(frozen=True)
class Joining:
    """A folder that would become one with the folder of a name, its documents, and who would see more or less, in words."""

    folder: str
    value: str
    documents: int
    seen: tuple[str, ...]


class FoldersPresenter(QObject):
    """State and verbs."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    listed = Signal(str, object)
    joining_asked = Signal(object)
    not_made = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.lines = lines_of(seat)
        self.state = FoldersState()
        self.undoing = Undoing(self._put_back)
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._show(doing=self.doing.told))
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup and self.state.cabinets:
            self.refresh()

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def choose(self, cabinet: str) -> None:
        """Show the folders of another cabinet."""
        self._show(cabinet=cabinet, problem="", given=(), folders=())
        self.refresh()

    def filter(self, words: str) -> None:
        """Show the folders whose path, or tags, hold every word."""
        self._show(words=words)
        self.refresh()

    def refresh(self) -> None:
        """Ask anew what the folders of the cabinet are and give."""
        session, setup = self._s.session, self._s.workspace.setup
        known = {c.id for c in setup.cabinets}
        chosen = self.state.cabinet if self.state.cabinet in known else next(iter(c.id for c in setup.cabinets), "")
        cabinet = setup.cabinet(chosen)
        specs = giving_values.fields_of(setup, chosen)
        self._show(
            cabinets=tuple((c.id, c.name) for c in setup.cabinets), cabinet=chosen,
            levels=tuple(x.name for x in cabinet.folder_fields) if cabinet is not None else (),
            fields=tuple((f, spec.name) for f, spec in specs.items()),
            registers=tuple((r.id, r.name) for r in setup.registers),
            areas=tuple((a.id, a.name) for a in setup.storage_areas), can_change=self._s.may(Right.PREPARE),
            undo=self.undoing.told,
        )  # fmt: skip
        if not chosen:
            return

        words = self.state.words

        def load() -> _Loaded:
            given = giving_values.list_given_values(session, chosen)
            tagged, lying = tags.folder_tags(session, chosen), areas.folder_areas(session, chosen)
            return given, list_folders(session, chosen, words)[1], tagged, lying

        def done(found: _Loaded) -> None:
            if (self.state.cabinet, self.state.words) == (chosen, words):
                above = {path[:i] for path in found[1] for i in range(1, len(path) + 1)}
                above |= found[2].keys() | found[3].keys()
                asked = words.casefold().split()
                told = {p: f"{SLASH.join(p)} {' '.join(found[2].get(p, ()))}".casefold() for p in above}
                self._show(
                    given=tuple(found[0]), has_more=len(found[1]) >= MOST_FOLDERS,
                    folders=tuple(SLASH.join(p) for p in sorted(above) if all(w in told[p] for w in asked)),
                    tags={SLASH.join(path): own for path, own in found[2].items()},
                    own_areas={SLASH.join(path): area for path, area in found[3].items()},
                )  # fmt: skip

        self._s.runner.query(load, done, key="folders", owner=self, on_error=self.failed.emit)

    # -- values that folders give -----------------------------------------------------------------------------------------

    def ask_allowed(self, field: str) -> None:
        """Ask what can be picked for a field."""
        session, cabinet = self._s.session, self.state.cabinet
        self._s.runner.query(
            lambda: giving_values.allowed_values(session, cabinet, field), lambda found: self._show(allowed=found),
            key="allowed", owner=self,
        )  # fmt: skip

    def give(self, folder: str, field: str, text: str) -> None:
        """Let a folder (empty: the whole cabinet) give a value; an empty text: none any more."""
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(before: str) -> None:
            self._kept(
                tr("value of {folder}", folder=folder or tr("the cabinet")),
                lambda: giving_values.give_value(session, cabinet, path, field, before),
            )
            self.said.emit(
                tr(
                    "New documents there get it, unsure until confirmed. What is there already stays until it is applied."
                )
                if text
                else tr("It gives that no more; documents keep what they have.")
            )

        self._change(lambda: giving_values.give_value(session, cabinet, path, field, text), done)

    def apply(self, folder: str, *, over: bool) -> None:
        """Give the documents below a folder what their folders give."""
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(found: Corrected) -> None:
            self.said.emit(
                tr("{documents} took the values of their folders", documents=say_documents(len(found.versions)))
            )
            if rest := say_rest(found):
                self.failed.emit(rest)
            self._kept(tr("values applied"), lambda: take_back_correction(session, found))

        self._begin(
            tr("Applying values"),
            lambda tell, cancel: giving_values.apply_given(
                session, cabinet, path, over=over, progress=tell, cancel=cancel
            ),
            done,
        )

    def ask_disagreeing(self, folder: str) -> None:
        """List the documents below a folder that disagree with what their folders give."""
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(found: tuple[list[Disagreeing], int]) -> None:
            told = [
                tr(
                    "{caption}: {field} is “{has}”, its folder says “{given}”",
                    caption=d.caption,
                    field=d.label,
                    has=d.has,
                    given=d.given,
                )
                if d.has
                else tr(
                    "{caption}: {field} is empty, its folder says “{given}”",
                    caption=d.caption,
                    field=d.label,
                    given=d.given,
                )
                for d in found[0]
            ]
            head = trn("{n:,} value disagrees, among {all:,} documents looked at.",
                       "{n:,} values disagree, among {all:,} documents looked at.", len(told), all=found[1])  # fmt: skip
            self.listed.emit(head, tuple(told))

        self._s.runner.query(
            lambda: giving_values.list_disagreeing(session, cabinet, path), done, key="disagreeing", owner=self,
            on_error=self._refused,
        )  # fmt: skip

    # -- folders by hand --------------------------------------------------------------------------------------------------

    def make(self, text: str) -> None:
        """Make the folders of a list, one on each line."""
        self._make(lambda: making.paths_of_list(text), typed=text)

    def make_from_directory(self, root: Path) -> None:
        """Make the folders that lie below a directory."""
        self._make(lambda: making.paths_of_directory(root))

    def make_from_register(self, register_id: str) -> None:
        """Make one folder for each entry of a register: its columns that are called like the levels, else its key."""
        session, setup = self._s.session, self._s.workspace.setup
        register = setup.register(register_id)
        if register is None:
            return
        named = {column.casefold(): column for column in register.columns}
        columns: list[str] = []
        for level in self.state.levels:
            if level.casefold() not in named:
                break
            columns.append(named[level.casefold()])
        self._make(lambda: making.paths_of_register(session, register_id, columns or [register.key]))

    def _make(self, paths: Callable[[], Paths], *, typed: str = "") -> None:
        session, cabinet = self._s.session, self.state.cabinet

        def work(tell: Progress, cancel: CancelToken) -> tuple[int, tuple[str, ...]]:
            return making.make_folders(session, cabinet, paths(), progress=tell, cancel=cancel)

        def done(found: tuple[int, tuple[str, ...]]) -> None:
            self.said.emit(trn("{n:,} folder made", "{n:,} folders made", found[0]))
            if found[1]:
                self.listed.emit(tr("These were left out:"), tuple(worded(t) for t in found[1]))
            if not found[0]:
                self.not_made.emit(typed)
            self.refresh()

        self._begin(tr("Making folders"), work, done, lambda: self.not_made.emit(typed))

    def let_go(self, folder: str) -> None:
        """Let an empty folder go."""
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(_: object) -> None:
            self.said.emit(tr("Let go: {folder}", folder=folder))
            self._kept(tr("folder let go"), lambda: making.make_folders(session, cabinet, (path,)))

        self._change(lambda: making.let_go_of_folder(session, cabinet, path), done)

    def rename(self, folder: str, value: str) -> None:
        """Give a folder another name, with all below it; where one of that name is there, they become one.

        Where others would see more or less of it then, that is told first (``joining_asked``).
        """
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(found: Renaming) -> None:
            if found.seen:
                self.joining_asked.emit(
                    Joining(folder, value, found.documents, tuple(worded(s.told) for s in found.seen))
                )
            else:
                self.rename_all(folder, value)

        self._s.runner.query(
            lambda: moving.preview_renaming(session, cabinet, path, value), done, key="renaming", owner=self,
            on_error=self._refused,
        )  # fmt: skip

    def rename_all(self, folder: str, value: str) -> None:
        """Do what ``rename`` says, whoever sees more or less of it then."""
        session, cabinet, path = self._s.session, self.state.cabinet, read_path(folder)

        def done(found: Renamed) -> None:
            moved = say_documents(len(found.corrected.versions))
            self.said.emit(tr("{before} is {after} now, with {moved}", before=path[-1], after=value, moved=moved))
            if rest := say_rest(found.corrected):
                self.failed.emit(rest)
            self._kept(tr("{before} renamed", before=path[-1]), lambda: moving.take_back_renaming(session, found))

        self._begin(
            tr("Renaming"),
            lambda tell, cancel: moving.rename_folder(session, cabinet, path, value, progress=tell, cancel=cancel),
            done,
        )

    def tag(self, chosen: Sequence[str], text: str) -> None:
        """Give folders these tags, told apart by commas, in place of those that they have."""
        session, cabinet, before = self._s.session, self.state.cabinet, dict(self.state.tags)
        wanted = read_tags(text)

        def put(tags_of: Callable[[str], Sequence[str]]) -> None:
            for folder in chosen:
                tags.tag_folder(session, cabinet, read_path(folder), tags_of(folder))

        def done(_: object) -> None:
            self.said.emit(trn("{n:,} folder tagged", "{n:,} folders tagged", len(chosen)))
            self._kept(tr("tags of folders"), lambda: put(lambda folder: before.get(folder, ())))

        self._change(lambda: put(lambda _: wanted), done)

    def put_area(self, chosen: Sequence[str], area: str) -> None:
        """Let the files of folders lie in a storage area from now on; empty: where those above them do."""
        session, cabinet = self._s.session, self.state.cabinet

        before = dict(self.state.own_areas)

        def put(area_by: Callable[[str], str]) -> None:
            for folder in chosen:
                areas.set_area(session, cabinet, read_path(folder), area_by(folder))

        def done(_: object) -> None:
            told = trn("{n:,} folder", "{n:,} folders", len(chosen))
            self.said.emit(tr("{folders} changed; what is filed there is brought from Storage areas.", folders=told))
            self._kept(tr("storage area of folders"), lambda: put(lambda folder: before.get(folder, "")))

        self._change(lambda: put(lambda _: area), done)

    # -- what they share --------------------------------------------------------------------------------------------------

    def _change(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        ended, refused = self._follow(done)
        self._s.runner.change(work, ended, lane="setup", owner=self, on_error=refused)

    def _begin(
        self, what: str, work: Callable[[Progress, CancelToken], Any], done: Callable[[Any], None],
        not_done: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        ended, refused = self._follow(done)

        def could_not(told: str) -> None:
            refused(told)
            not_done()

        self.doing.begin(what, work, ended, could_not, owner=self)

    def _follow(self, done: Callable[[Any], None]) -> tuple[Callable[[Any], None], Callable[[str], None]]:
        """Return what takes the end of a change that begins now: what it brought, and why it was refused."""

        def ended(result: Any) -> None:
            done(result)
            self.undoing.end()

        def refused(told: str) -> None:
            self.undoing.end(came_to_nothing=True)
            self._refused(told)

        self._show(problem="")
        self.undoing.begin()
        return ended, refused

    def _refused(self, told: str) -> None:
        self.failed.emit(told)
        self._show(problem=told)

    def _kept(self, told: str, put_back: Callable[[], object]) -> None:
        self.undoing.note(Undo(told, put_back))
        self._s.bus.tell(Changes(repository=True))
        self.refresh()

    def undo(self) -> None:
        """Put back what one changed last here."""
        self.undoing.undo()

    def _put_back(self, last: Undo) -> None:
        def done(_: object) -> None:
            self.said.emit(tr("Put back: {told}", told=last.told))
            self._s.bus.tell(Changes(repository=True))
            self.refresh()

        self._s.runner.change(last.put_back, done, lane="setup", owner=self, on_error=self._refused)

    def stop(self) -> None:
        """Stop what is under way after the document in hand."""
        self.doing.stop()


def read_path(folder: str) -> tuple[str, ...]:
    """Return the path of a folder as it is shown."""
    return tuple(part.strip() for part in folder.split("/") if part.strip())


__all__ = ["FoldersPresenter", "FoldersState", "Given", "read_path"]
