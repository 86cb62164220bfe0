"""Document types: a sheet about the type, and one with its fields and what each of them asks."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.presenters.prepare.types import TypesPresenter, TypesState
from keybundle.desktop.views.calm import Button, Choice, Line
from keybundle.desktop.views.checks import ID
from keybundle.desktop.views.prepare.form_view import FormView
from keybundle.desktop.views.prepare.items_editor import ItemsEditor
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.prepare.zone_dialog import ZoneDialog
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

FIELDS_PX = 240
FIELDS = 1


class TypesView(PartView):
    """Shows and changes document types."""

    def __init__(self, presenter: TypesPresenter) -> None:
        self.types = presenter
        self._pointing: ZoneDialog | None = None
        self._of = ""
        self.items = ItemsEditor(FormField("fields", tr("Fields"), hint=tr("Name of a field, Enter")))
        self.items.list.setMaximumHeight(16_777_215)
        self.items.taken.connect(lambda items: presenter.change({"fields": items}))
        self.items.list.currentItemChanged.connect(self._choose)
        self.field_form = FormView()
        self.field_form.edited.connect(lambda name, value: presenter.change({name: value}))
        self.field_form.typed.connect(presenter.type)
        self.field_form.let_go.connect(presenter.let_go_here)
        self.field_form.is_typed = presenter.is_typed
        self.field_form.make_asked.connect(self._make)
        self.field_form.asked.connect(presenter.complete)
        presenter.completed.connect(self.field_form.offer)
        super().__init__(
            tr("Document types"), presenter, form_title=tr("The type"), tabs={tr("Its fields"): self._make_fields()},
            empty=tr("A document type says which values are asked of a document, and in which cabinet it is filed. "
                     "Type the name of the first one at the left, such as Bill, and press Enter."),
        )  # fmt: skip
        self.stack.currentChanged.connect(lambda _: self._render_fields(self.types.state))
        self.form.make_asked.connect(self._make)
        self.form.typed.connect(lambda name, text: presenter.try_caption(text) if name == "caption" else None)
        presenter.pointed.connect(self._show_pointed)

    def _make_fields(self) -> QWidget:
        inner = QWidget()
        inner.setObjectName("place")
        self.fill, self.doing, self.stop = Button(), Told(), Button(tr("Stop"))
        self.fill.clicked.connect(self._ask_fill)
        self.stop.clicked.connect(lambda: self.types.doing.stop())
        work = QHBoxLayout()
        for widget in (self.fill, self.doing, self.stop):
            work.addWidget(widget)
        work.addStretch(1)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(self.field_form)
        column.addLayout(work)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        sheet = QWidget()
        row = QHBoxLayout(sheet)
        row.setContentsMargins(0, 0, 0, 0)
        self.items.setFixedWidth(FIELDS_PX)
        row.addWidget(self.items)
        row.addWidget(area, 1)
        return sheet

    def render_state(self, state: TypesState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        self._render_fields(state)

    def _render_fields(self, state: TypesState) -> None:
        """Show the fields while they are in front: their form is half the work of opening a type."""
        if self.stack.currentIndex() != FIELDS:
            return
        kind = state.kind
        self.items.setEnabled(state.can_change)
        if state.chosen != self._of:
            self._of = state.chosen
            self.items.forget()
        self.items.show_value(kind.fields if kind is not None else ())
        if state.problems.get("fields"):
            self.items.refuse()
        self.items.list.setFixedHeight(max(120, self.stack.height() - 96))
        with QSignalBlocker(self.items.list):
            for i in range(self.items.list.count()):
                if self.items.list.item(i).data(ID) == state.chosen_field:
                    self.items.list.setCurrentRow(i)
        of = f"{state.chosen}/{state.chosen_field}"
        self.field_form.render_form(
            state.field_sections, state.values, state.problems, can_change=state.can_change, of=of
        )
        self.fill.setText(tr("Fill it in what is filed already ({filed:,})", filed=state.filed))
        self.fill.setVisible(bool(state.filed and state.chosen_field and state.can_change))
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))

    def _ask_fill(self) -> None:
        state = self.types.state
        if state.kind is None:
            return
        sheet = FillSheet(state.kind.label(state.chosen_field))
        sheet.shown_asked.connect(self.types.bound(self.types.show_fill))
        sheet.agreed.connect(self.types.bound(self.types.fill))
        self.types.fill_shown.connect(sheet.render_shown)
        self.sheet_asked.emit(sheet)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.types.choose_field(str(item.data(ID)))

    def show_part(self, part_id: str, at: str = "") -> None:
        """Show a type; at one of its fields."""
        self.types.choose(part_id)
        kind = self.types.state.kind
        if at and kind is not None and kind.field(at) is not None:
            self.show_tab(FIELDS)
            self.types.choose_field(at)
            self.field_form.focus(next(iter(self.field_form.rows), ""))
        else:
            self.show_tab(0)

    def _make(self, name: str) -> None:
        """Make what is missing among the choices of a field, or point at its place."""
        if name == "cabinet":
            self.types.make_cabinet()
        elif name.endswith(" register_name"):
            self.types.make_register()
        elif name.endswith(" zone"):
            self._point()

    def _point(self) -> None:
        state = self.types.state
        label = state.kind.label(state.chosen_field) if state.kind is not None else ""
        dialog = self._pointing = ZoneDialog(
            tr("Draw where {label} stands on every first page of this type.", label=label), self
        )
        dialog.page_asked.connect(self.types.point)
        dialog.zone_drawn.connect(self.types.bound(self.types.take_zone))
        dialog.finished.connect(self._end_pointing)
        self.types.point()

    def _show_pointed(self, shown: PageShown) -> None:
        if self._pointing is not None:
            self._pointing.render_page(shown, ())
            self._pointing.show()

    def _end_pointing(self) -> None:
        if self._pointing is not None:
            self._pointing.deleteLater()
        self._pointing = None


class FillSheet(Sheet):
    """How a field is filled in documents that are filed already, what that would do, and doing it."""

    shown_asked = Signal(str, str)
    agreed = Signal(str, str)

    def __init__(self, label: str) -> None:
        super().__init__(tr("Fill it"), tr("Documents that have a value keep it. Undo takes all of it back."), of=label)
        self.how, self.text = Choice(), Line()
        self.how.setAccessibleName(tr("How"))
        self.text.setAccessibleName(tr("The value"))
        for code, told in (
            ("fixed", tr("with one value")), ("text", tr("from their text, by its labels")),
            ("register", tr("from its register")),
        ):  # fmt: skip
            self.how.addItem(told, code)
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        self.form.addRow(tr("How"), self.how)
        self.form.addRow(tr("The value"), self.text)
        self.how.activated.connect(lambda _: self._how_changed())
        self.look, self.take = Button(tr("Show what it would do")), Button(tr("Fill them"))
        self.take.setProperty("role", "main")
        self.look.clicked.connect(lambda: self.shown_asked.emit(self.how.currentData(), self.text.text().strip()))
        self.take.clicked.connect(self._take)
        self.take.setEnabled(False)
        self.told, self.list = Told(), QListWidget()
        self.told.setWordWrap(True)
        self.list.setAccessibleName(tr("The newest of them"))
        row = QHBoxLayout()
        row.addWidget(self.look)
        row.addStretch(1)
        row.addWidget(self.take)
        self.body.addLayout(self.form)
        self.body.addLayout(row)
        self.body.addWidget(self.told)
        self.body.addWidget(self.list, 1)

    def first(self) -> QWidget:
        return self.how

    def _how_changed(self) -> None:
        self.form.setRowVisible(self.text, self.how.currentData() == "fixed")
        self.take.setEnabled(False)

    def render_shown(self, head: str, examples: tuple[tuple[str, str], ...]) -> None:
        """Show what it would do."""
        self.told.setText(head)
        self.list.clear()
        self.list.addItems([f"{caption}:  {value}" for caption, value in examples])
        self.take.setEnabled(bool(examples))

    def _take(self) -> None:
        self.agreed.emit(self.how.currentData(), self.text.text().strip())
        self.end()
