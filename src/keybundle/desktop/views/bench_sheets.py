"""The side sheets of the bench: register, starters, folders, poor pages, what is set aside, language, reasons."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.presenters.bench_slips import FoldersShown, PoorPage, RegisterShown, Starter
from keybundle.desktop.presenters.bench_state import BenchState, SlipRow
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.register_sheet import RegisterSheet
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.values_sheet import ValuesSheet
from keybundle.desktop.words import mark, tr, trn

NO_STARTERS = mark("There is no starter for this type yet; keep the present slip as one.")


class BenchSheets(QObject):
    """Opens them, named after their document and gone with it, and hands what was chosen to the presenter."""

    def __init__(self, presenter: BenchPresenter, place: QWidget, over: QWidget) -> None:
        super().__init__(place)
        self.p = presenter
        self.edge = SheetEdge(place, over)
        presenter.changed.connect(self._on_state)
        presenter.slips.register_found.connect(self._show_register)
        presenter.slips.changes_found.connect(self._show_changes)
        presenter.not_taken_found.connect(self._show_not_taken)

    def _name(self, document: str) -> str:
        plate = next((d for d in self.p.state.documents if d.id == document), None)
        return f"{plate.type}, {plate.caption}" if plate is not None else tr("the batch")

    def end(self) -> None:
        """Close what is open."""
        self.edge.end()

    def _on_state(self, state: BenchState) -> None:
        document = self.edge.target[0]
        if document and state.document != document:
            self.end()

    def register(self, document: str, field: str) -> None:
        """Look into the register behind a field."""
        self.p.slips.look_up(document, field)

    def _show_register(self, document: str, field: str, found: RegisterShown) -> None:
        if document != self.p.state.document:
            return
        if isinstance(self.edge.shown, RegisterSheet) and self.edge.target == (document, field):
            self.edge.shown.render_entries(found)
            return
        sheet = RegisterSheet(tr("Look up {field}", field=field), self._name(document))
        sheet.typed.connect(lambda text: self.p.slips.look_up(document, field, text))
        sheet.chosen.connect(lambda value: self.p.confirm(document, field, value))
        sheet.added.connect(lambda register, entry: self.p.slips.add_entry(document, field, register, entry))
        sheet.render_entries(found)
        self.edge.open(sheet, (document, field))

    def propose(self, row: SlipRow | None) -> None:
        """Ask what is missing: an entry or a choice for the field in front, else a document type."""
        document = self.p.state.document or ""
        if row is not None and row.has_register:
            self.register(document, row.name)
            return
        if row is not None and row.asked is not None and row.asked.is_choice:
            label, field = tr("A choice for {field}", field=row.label), row.name
            head = tr(
                "It is one for everybody once somebody who prepares says yes; until then the document can be set aside."
            )
            sheet = AskSheet(
                tr("Propose a choice"), head, {label: ()}, tr("Propose"), of=self._name(document), stays=True
            )
            sheet.answered.connect(lambda said: self.p.slips.propose_choice(field, said[0], sheet.done, sheet.refuse))
            if row.unsure:
                sheet.fill(label, row.text)
        else:
            name, why = tr("A document type"), tr("Why")
            head = tr("Somebody who prepares makes it, or says no; until then the document can be set aside.")
            sheet = AskSheet(
                tr("Propose a document type"),
                head,
                {name: (), why: ()},
                tr("Propose"),
                of=self._name(document),
                stays=True,
            )
            sheet.answered.connect(lambda said: self.p.slips.propose_type(said[0], said[1], sheet.done, sheet.refuse))
        self.edge.open(sheet, (document, "propose"))

    def _show_changes(self, told: list[str]) -> None:
        head = tr("Who changed which value, the newest first; Ctrl+Z takes back the last step.")
        self.edge.open(ListSheet(tr("Changes of values"), head, told or [tr("No value was changed by hand yet.")]))

    def _show_not_taken(self, told: list[str]) -> None:
        head = tr("What came in with this batch and is not in it, or not whole, with the reasons.")
        self.edge.open(ListSheet(tr("Not taken in"), head, told or [tr("All that came in was taken.")]))

    def conflicts(self, conflicts: tuple[str, ...]) -> None:
        """List the sides at which the rules say something else than people did."""
        head = tr("What people did stays as it is. The rules say something else at these sides:")
        self.edge.open(ListSheet(tr("Separated again"), head, conflicts))

    def ask_aside(self, document: str) -> None:
        """Ask why a document is set aside."""
        head = tr("It stays in this batch and is left out of filing until it is brought back.")
        why = tr("Why")
        sheet = AskSheet(
            tr("Set aside"),
            head,
            {why: self.p.aside_reasons},
            tr("Set aside"),
            of=self._name(document),
            free=(why,),
            stays=True,
        )
        sheet.answered.connect(lambda said: self.p.set_aside(document, said[0], sheet.done, sheet.refuse))
        self.edge.open(sheet, (document, ""))

    def starters(self) -> None:
        """Start the slip from a kept set of values, or keep the present one."""
        document, slip = self.p.state.document, self.p.state.slip
        if document is None or slip is None:
            return
        sheet = ChooseSheet(
            tr("Starters"), tr("Values that slips of this type can start from."), of=self._name(document)
        )
        found: list[Starter] = []
        labels = {row.name: row.label for row in slip.rows}

        def show(starters: list[Starter]) -> None:
            found[:] = starters
            told = [
                f"{s.name}:  " + ", ".join(f"{labels.get(k, k)} {v}" for k, v in s.values.items()) for s in starters
            ]
            sheet.render_entries(told or [tr(NO_STARTERS)])
            for button in (drop, alter):
                button.setEnabled(bool(told))

        def start(row: int) -> None:
            if row < len(found):
                self.p.slips.start_from(document, found[row])

        def show_values(name: str, values: Mapping[str, str]) -> None:
            head = tr("Values that slips of this type can start from; empty what each slip has of its own.")
            fields, of = self.p.slips.asked_of(slip.type_id), self._name(document)
            asked = ValuesSheet(tr("Starter"), head, fields, values, self.p.help, name=name, of=of)
            asked.answered.connect(
                lambda kept, given: self.p.slips.keep_starter(slip.type_id, kept, given, name, asked.end)
            )
            self.edge.open(asked, (document, ""))

        def keep() -> None:
            self.p.flush()
            show_values("", {row.name: row.text for row in slip.rows})

        def change() -> None:
            if 0 <= sheet.row < len(found):
                show_values(found[sheet.row].name, found[sheet.row].values)

        def forget() -> None:
            if 0 <= sheet.row < len(found):
                self.p.slips.drop_starter(slip.type_id, found[sheet.row].name)

        drop = sheet.add_button(tr("Forget it"), forget)
        alter = sheet.add_button(tr("Change it"), change)
        sheet.add_button(tr("Keep this slip"), keep)
        self._open(sheet, document, self.p.slips.starters_found, show, start)
        self.p.slips.list_starters()

    def folders(self) -> None:
        """Choose the folder by hand: its values go into the fields they come from."""
        document = self.p.state.document
        if document is None:
            return
        sheet = ChooseSheet(
            tr("Choose the folder"), tr("The folder's values are put into their fields on the slip."), of=self._name(document),
            hint=tr("Words of the path"),
        )  # fmt: skip
        paths: list[tuple[str, ...]] = []

        def show(found: FoldersShown) -> None:
            recent = [] if sheet.line.text() else [p for p in found.recent if p in found.found]
            paths[:] = [*recent, *(p for p in found.found if p not in recent)]
            said = [f"{' / '.join((found.cabinet, *p))}{tr('    used last') if p in recent else ''}" for p in paths]
            sheet.render_entries(said)

        sheet.typed.connect(self.p.slips.list_folders)
        take = lambda i: self.p.slips.choose_folder(document, paths[i])  # noqa: E731
        self._open(sheet, document, self.p.slips.folders_found, show, take)
        self.p.slips.list_folders()

    def _open(
        self, sheet: ChooseSheet, document: str, answer: object, show: Callable[..., None],
        take: Callable[[int], object],
    ) -> None:  # fmt: skip
        answer.connect(show)  # type: ignore[attr-defined]
        sheet.ended.connect(lambda: answer.disconnect(show))  # type: ignore[attr-defined]
        sheet.chosen.connect(take)
        self.edge.open(sheet, (document, ""))

    def _go(self, sheet: ChooseSheet, ids: list[str], go: Callable[[str], object]) -> None:
        """Show a list and go to what is chosen."""

        def chosen(row: int) -> None:
            if row < len(ids):
                go(ids[row])

        sheet.chosen.connect(chosen)
        self.edge.open(sheet)

    def poor_pages(self) -> None:
        """List the pages that read badly, to go there and scan them again."""
        found: list[PoorPage] = self.p.slips.poor_pages()
        head = tr(
            "Pages without words or read with little confidence; Enter goes there, then Ctrl+Shift+A "
            "scans the page again."
        )
        sheet = ChooseSheet(tr("Poor pages"), head)
        sheet.render_entries([p.told for p in found] or [tr("Every page of this batch reads well.")])
        self._go(sheet, [p.id for p in found], self.p.go_to_page)

    def parked(self) -> None:
        """List what is set aside, with the reasons, to go there."""
        found = self.p.slips.parked()
        sheet = ChooseSheet(tr("Set aside"), tr("Documents of this batch that wait for something; Enter goes there."))
        sheet.render_entries([told for _, told in found] or [tr("Nothing is set aside in this batch.")])
        self._go(sheet, [document for document, _ in found], self.p.going.go_to_document)

    def language(self) -> None:
        """Ask in which language the chosen pages are to be read."""
        found = self.p.slips.languages()
        pages = self.p.slips.chosen_pages()
        if found and pages:
            head = tr(
                "{pages} will be read again; what people typed for them stays.",
                pages=trn("{n:,} page", "{n:,} pages", len(pages)),
            )
            sheet = ChooseSheet(tr("Language of the chosen pages"), head)
            sheet.render_entries([name for _, name in found])
            self._go(sheet, [code for code, _ in found], lambda code: self.p.slips.set_language(pages, code))
