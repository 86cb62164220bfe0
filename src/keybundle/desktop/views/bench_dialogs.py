"""The small windows that open from the bench: register, starters, folders, poor pages, what is set aside, language."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QDialog, QInputDialog, QWidget

from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.presenters.bench_slips import FoldersShown, PoorPage, RegisterShown, Starter
from keybundle.desktop.presenters.bench_state import BenchState
from keybundle.desktop.views.choose_dialog import ChooseDialog
from keybundle.desktop.views.list_dialog import ListDialog
from keybundle.desktop.views.register_dialog import RegisterDialog

NO_STARTERS = "There is no starter for this type yet; keep the present slip as one."


class BenchDialogs(QObject):
    """Opens them, and hands what was chosen to the presenter."""

    def __init__(self, presenter: BenchPresenter, home: QWidget) -> None:
        super().__init__(home)
        self.p = presenter
        self._home = home
        self._dialog: QDialog | None = None
        self._target: tuple[str, str] = ("", "")
        presenter.changed.connect(self._on_state)
        presenter.slips.register_found.connect(self._show_register)
        presenter.slips.changes_found.connect(self._show_changes)

    def _begin(self, dialog: QDialog, document: str, field: str = "") -> None:
        """Let this be the one window that is open, for this document: it goes when the bench shows another one."""
        self.end()
        self._dialog, self._target = dialog, (document, field)
        dialog.finished.connect(lambda _: self._forget(dialog))
        dialog.setWindowTitle(f"{dialog.windowTitle()}: {self._name(document)}")

    def _name(self, document: str) -> str:
        plate = next((d for d in self.p.state.documents if d.id == document), None)
        return f"{plate.type}, {plate.caption}" if plate is not None else "the batch"

    def _forget(self, dialog: QDialog) -> None:
        if self._dialog is dialog:
            self._dialog = None
        dialog.deleteLater()

    def end(self) -> None:
        """Close what is open."""
        if self._dialog is not None:
            self._dialog.reject()

    def _on_state(self, state: BenchState) -> None:
        if self._dialog is not None and self._target[0] and state.document != self._target[0]:
            self.end()

    def register(self, document: str, field: str) -> None:
        """Look into the register behind a field."""
        self.p.slips.look_up(document, field)

    def _show_register(self, document: str, field: str, found: RegisterShown) -> None:
        if document != self.p.state.document:
            return
        if isinstance(self._dialog, RegisterDialog) and self._target == (document, field):
            self._dialog.render_entries(found)
            return
        dialog = RegisterDialog(field, self._home)
        self._begin(dialog, document, field)
        dialog.typed.connect(lambda text: self.p.slips.look_up(document, field, text))
        dialog.chosen.connect(lambda value: self.p.confirm(document, field, value))
        dialog.added.connect(lambda register, entry: self.p.slips.add_entry(document, field, register, entry))
        dialog.render_entries(found)
        dialog.show()
        dialog.line.setFocus()

    def _show_changes(self, told: list[str]) -> None:
        head = "Who changed which value, the newest first; Ctrl+Z takes back the last step."
        dialog = ListDialog(
            "Changes of values", head, tuple(told) or ("No value was changed by hand yet.",), self._home
        )
        dialog.show()

    def starters(self) -> None:
        """Start the slip from a kept set of values, or keep the present one."""
        document, slip = self.p.state.document, self.p.state.slip
        if document is None or slip is None:
            return
        dialog = ChooseDialog("Starters", "Values that slips of this type can start from.", parent=self._home)
        found: list[Starter] = []

        def show(starters: list[Starter]) -> None:
            found[:] = starters
            told = [f"{s.name}:  " + ", ".join(f"{k} {v}" for k, v in s.values.items()) for s in starters]
            dialog.render_entries(told or [NO_STARTERS])
            drop.setEnabled(bool(told))

        def start(row: int) -> None:
            if row < len(found):
                self.p.slips.start_from(document, found[row])

        def keep() -> None:
            name, done = QInputDialog.getText(dialog, "Keep as a starter", "Name of the starter")
            if done and name.strip():
                self.p.slips.keep_starter(document, name.strip())
                dialog.accept()

        def forget() -> None:
            if 0 <= dialog.row < len(found):
                self.p.slips.drop_starter(slip.type, found[dialog.row].name)

        drop = dialog.add_button("Forget it", forget)
        dialog.add_button("Keep the present slip as one", keep)
        self._open(dialog, document, self.p.slips.starters_found, show, start)
        self.p.slips.list_starters()

    def folders(self) -> None:
        """Choose the folder by hand: its values go into the fields they come from."""
        document = self.p.state.document
        if document is None:
            return
        dialog = ChooseDialog(
            "Choose the folder", "The folder's values are put into their fields on the slip.", hint="Words of the path",
            parent=self._home,
        )  # fmt: skip
        paths: list[tuple[str, ...]] = []

        def show(found: FoldersShown) -> None:
            recent = [] if dialog.line.text() else [p for p in found.recent if p in found.found]
            paths[:] = [*recent, *(p for p in found.found if p not in recent)]
            said = [f"{' / '.join((found.cabinet, *p))}{'    used last' if p in recent else ''}" for p in paths]
            dialog.render_entries(said)

        dialog.typed.connect(self.p.slips.list_folders)
        take = lambda i: self.p.slips.choose_folder(document, paths[i])  # noqa: E731
        self._open(dialog, document, self.p.slips.folders_found, show, take)
        self.p.slips.list_folders()
        dialog.line.setFocus()

    def _open(
        self, dialog: ChooseDialog, document: str, answer: object, show: Callable[..., None],
        take: Callable[[int], object],
    ) -> None:  # fmt: skip
        self._begin(dialog, document)
        answer.connect(show)  # type: ignore[attr-defined]
        dialog.finished.connect(lambda _: answer.disconnect(show))  # type: ignore[attr-defined]
        dialog.chosen.connect(take)
        dialog.show()

    def _go(self, dialog: ChooseDialog, ids: list[str], go: Callable[[str], None]) -> None:
        """Show a list and go to what is chosen."""

        def chosen(row: int) -> None:
            if row < len(ids):
                go(ids[row])

        self._begin(dialog, "")
        dialog.chosen.connect(chosen)
        dialog.show()

    def poor_pages(self) -> None:
        """List the pages that read badly, to go there and scan them again."""
        found: list[PoorPage] = self.p.slips.poor_pages()
        head = "Pages without words or read with little confidence; Enter goes there, then Ctrl+G scans the page again."
        dialog = ChooseDialog("Poor pages", head, parent=self._home)
        dialog.render_entries([p.told for p in found] or ["Every page of this batch reads well."])
        self._go(dialog, [p.id for p in found], self.p.go_to_page)

    def parked(self) -> None:
        """List what is set aside, with the reasons, to go there."""
        found = self.p.slips.parked()
        dialog = ChooseDialog(
            "Set aside", "Documents of this batch that wait for something; Enter goes there.", parent=self._home
        )
        dialog.render_entries([told for _, told in found] or ["Nothing is set aside in this batch."])
        self._go(dialog, [document for document, _ in found], self.p.go_to_document)

    def language(self) -> None:
        """Ask in which language the chosen pages are to be read."""
        name, done = QInputDialog.getText(
            self._home, "Language of the chosen pages", "Tesseract's name, such as eng or deu+eng; empty: the routine's"
        )
        if done:
            self.p.slips.set_language(name)
