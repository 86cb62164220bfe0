"""Folders in Prepare by hand: made, looked for among many, tagged, giving values that documents then take, put back."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from keybundle.core.workflows.index.slip_help import MOST_FOLDERS
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.keep.folders import giving_values
from keybundle.core.workflows.prepare.parts.tags import folder_tags
from tests.desktop.support import DesktopTest
from tests.support import acting, filed_ids

MANY = MOST_FOLDERS + 60


class Folders(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        desktop = self.start()
        desktop.begin("Oswinna Reedmace")
        window = desktop.window
        assert window is not None
        self.ws, self.me = desktop.workspace, acting(desktop.workspace, "Oswinna Reedmace")
        self.key(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
        window.prepare.show_page("folders")
        self.view = window.prepare.view("folders")
        self.until(lambda: self.view.list.count() > 0, 10)

    def names(self) -> list[str]:
        return [str(self.view.list.item(i).data(Qt.ItemDataRole.UserRole)) for i in range(self.view.list.count())]

    def test_one_among_many_is_found_tagged_and_found_by_its_tag(self) -> None:
        view = self.view
        view.presenter.make("\n".join(f"Otter Wharf / LN{i}" for i in range(9000, 9000 + MANY)))
        self.until(view.has_more.isVisible, 10, "more folders than are shown")
        last = f"Otter Wharf / LN{9000 + MANY - 1}"
        self.assertNotIn(last, self.names())
        QTest.keyClicks(view.filter, f"otter LN{9000 + MANY - 1}")
        self.until(lambda: self.names() == [last], 10, "the filter to look among all of them")
        self.assertFalse(view.has_more.isVisible())
        view.list.setCurrentRow(0)
        QTest.keyClicks(view.tags, "to survey")
        QTest.mouseClick(view.tag, Qt.MouseButton.LeftButton)
        self.until(lambda: list(folder_tags(self.me, "Boats").values()) == [("to survey",)], 10)
        view.filter.clear()
        QTest.keyClicks(view.filter, "survey")
        self.until(lambda: self.names() == [last], 10, "to be found by its tag")
        self.until(lambda: view.undo.isEnabled(), 10)
        QTest.mouseClick(view.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: not folder_tags(self.me, "Boats") and self.names() == [], 10)

    def test_a_value_is_given_applied_and_taken_back(self) -> None:
        view, repository = self.view, self.ws.repository
        boats = [d for d in map(repository.load, filed_ids(self.ws, "Boats")) if "Keeper" in d.values]
        before = {d.id: d.values["Keeper"].text for d in boats}
        self.assertGreater(len(before), 0)
        self.assertTrue(view.none_given.isVisible())
        view.field.setCurrentIndex(view.field.findData("Keeper"))
        view.value.setEditText("Ottoline Reedmace")
        QTest.mouseClick(view.give, Qt.MouseButton.LeftButton)
        self.until(lambda: "not in its register" in view.problem.text(), 10)
        view.field.activated.emit(view.field.currentIndex())
        self.until(lambda: view.value.count() > 1, 10, "what may be given")
        view.value.setCurrentIndex(1)
        keeper = view.value.currentText()
        QTest.mouseClick(view.give, Qt.MouseButton.LeftButton)
        self.until(lambda: [g.value for g in giving_values.list_given_values(self.me, "Boats")] == [keeper], 10)
        self.until(lambda: view.table.rowCount() == 1 and not view.none_given.isVisible(), 10)
        giving_values.give_value(self.me, "Boats", [(folder := self.names()[0])], "Keeper", keeper)
        first = browsing.load_columns(self.me, "Boats", ["Home mooring", "Boat number"], {}).columns[0]
        self.assertEqual(first.gives, ((folder, (f"Keeper: {keeper}",)),), "a sign at the folder")
        self.assertEqual({i: repository.load(i).values["Keeper"].text for i in before}, before, "giving changes none")
        view.table.selectRow(0)
        QTest.mouseClick(view.over, Qt.MouseButton.LeftButton)
        keepers = lambda: {repository.load(i).values["Keeper"].text for i in before}  # noqa: E731
        self.until(lambda: keepers() == {keeper}, 20, "the documents to take it")
        self.until(lambda: view.undo.isEnabled() and not view.presenter.state.doing, 10)
        QTest.mouseClick(view.undo, Qt.MouseButton.LeftButton)
        self.until(
            lambda: {i: repository.load(i).values["Keeper"].text for i in before} == before, 20, "to be put back"
        )
