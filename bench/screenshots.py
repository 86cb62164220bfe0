"""One current picture of each main view, made from the demo data."""

from __future__ import annotations

import contextlib
import json
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from bench.screenshots_prepare import shoot_editors, shoot_first_start
from bench.yardstick import feeder, run_cli
from keybundle.core.base.errors import InputProblem
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.propose import learning
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.signing_in import choose_person
from keybundle.core.workflows.take_in.capture import find_routine
from keybundle.demo.names import PEOPLE
from keybundle.desktop.app import Desktop
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.access_sheet import AccessSheet
from keybundle.desktop.views.send_sheet import SendSheet
from keybundle.desktop.views.window import MainWindow

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"


def main(target: Path = TARGET) -> None:
    """Go through the task and take the pictures."""
    source, _ = feeder()
    data = Path(tempfile.mkdtemp(prefix="keybundle-shots-")) / "keybundle-demo"
    shutil.copytree(source, data)
    (data / "feeder" / "fed.json").unlink(missing_ok=True)
    run_cli("--data", data, "init-demo", "--documents", "120")
    be_cautious(data)
    app = QApplication([])
    apply_theme(app)
    settings = QSettings(str(data.parent / "window.ini"), QSettings.Format.IniFormat)
    desktop = Desktop(data, settings=settings)
    target.mkdir(parents=True, exist_ok=True)
    desktop.root.resize(1280, 800)
    desktop.start.where.setText("The data is in ~/keybundle-demo")
    desktop.root.grab().save(str(target / "signing-in.png"))
    desktop.begin(PEOPLE[2][0])
    window = desktop.window
    assert window is not None
    window.resize(1280, 800)

    def spin(seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            app.processEvents()
            time.sleep(0.01)

    def shoot(name: str) -> None:
        spin(0.8)
        window.grab().save(str(target / f"{name}.png"))

    shoot_first_start(target, spin)
    spin(1)
    window.work.presenter.scanning.scan()
    spin(14)
    shoot("work")
    window.open_batch(desktop.workspace.batches.ids()[-1])
    spin(1)
    while desktop.line.busy or window.work.presenter.state.scanning:
        spin(0.5)
    bench = window.benches[desktop.workspace.batches.ids()[-1]]
    bench.presenter.refresh()
    spin(1)
    bench.presenter.going.go_to_unsure()
    bench.presenter.going.go_to_document(bench.presenter.state.documents[0].id)
    spin(1)
    shoot("bench")
    bench.presenter.filing.file_all()
    spin(12)
    for child in window.findChildren(type(window.centralWidget())):
        if child.isWindow() and child is not window:
            child.close()
    window.go_cabinets()
    spin(1)
    window.cabinets.presenter.open("Purchasing")
    spin(1)
    first = window.cabinets.presenter.state.columns[0].entries[0][0]
    window.cabinets.presenter.choose("Year", first)
    spin(0.5)
    window.cabinets.table.selectRow(0)
    spin(1.5)
    shoot("cabinets")
    shoot_many(window, shoot)
    window.go_find()
    window.finder.line.setText("towpath keeper")
    window.finder.presenter.search("towpath keeper")
    spin(2)
    shoot("find")
    shoot_viewer(desktop, target, spin)
    shoot_learned(desktop, bench.presenter.batch_id, target, spin)
    shoot_halt(desktop, target, spin)
    shoot_rights(desktop, target, spin)
    desktop.close()
    shutil.rmtree(data.parent)


def shoot_many(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """Type one value for all chosen documents, let a sheet that sends them wait, and take the pictures."""
    view = window.cabinets
    view.table.selectAll()
    column = view.model.heads.index("Order number")
    chosen = view.documents.chosen_rows()
    view.presenter.changes.edit(view.model.values_of(chosen, "Order number"), "Order number", "PO-20417")
    view.table.setCurrentIndex(view.model.index(0, column))
    view.table.selectAll()
    shoot("correcting")
    view.sending.emit(chosen, False)
    window.go_work()
    shoot("waiting")
    view.edge.end()
    view.presenter.changes.discard()


def shoot_viewer(desktop: Desktop, target: Path, spin: Callable[[float], None]) -> None:
    """Open a long hit in a window of its own, send it, and take the pictures: page with values, story."""
    assert desktop.window is not None
    finder, viewers = desktop.window.finder, desktop.window.viewers
    hits = [h for h in finder.presenter.state.hits if h.is_filed]
    pages = {h.id: len(desktop.workspace.repository.load(h.id).pages) for h in hits}
    viewers.open(max(pages, key=lambda i: pages[i]), 0, finder.presenter.query)
    spin(2)
    (shown,) = viewers.windows
    shown.resize(1280, 800)
    shown.viewer.handlers.trigger("viewer.next place")
    spin(1.5)
    shown.grab().save(str(target / "viewer.png"))
    shown.viewer.handlers.trigger("viewer.send")
    spin(1.5)
    sheet = shown.edge.shown
    assert isinstance(sheet, SendSheet)
    sheet.names.setText("{caption} {filed}")
    sheet.folder.setText("/media/stick/for the auditor")
    sheet.request.look(sheet.choices().wish)
    sheet.choose_way("mail")
    sheet.address.setText("audit@holme.example")
    sheet.request.send(sheet.choices())
    spin(2.5)
    viewers.close()
    desktop.window.message.setText("")


def be_cautious(data: Path) -> None:
    """Let the routine Post ask for at most 1 wrong value in 500: until that can be claimed, more is shown as unsure."""
    workspace = open_workspace(data)
    me = choose_person(workspace, workspace.person(None).name)
    post = find_routine(me, "Post")
    parts.save_part(me, "routines", parts.change_part(post, {"wrong_one_in": 500}))
    workspace.close()


def shoot_learned(desktop: Desktop, batch: str, target: Path, spin: Callable[[float], None]) -> None:
    """Confirm and file the rest document by document, as somebody who looks at each does, and show what was learned."""
    ws, window, who = desktop.workspace, desktop.window, PEOPLE[2][0]
    assert window is not None
    for document in ws.batches.load(batch).in_order():
        for name in [n for n, v in document.values.items() if v.items and not v.sure and not document.filed_id]:
            with contextlib.suppress(InputProblem):
                slip.confirm_value(choose_person(ws, who), desktop.line, batch, document.id, name)
        file_documents(choose_person(ws, who), desktop.pool, batch, [document.id])
    learning.refresh_calibration(ws, desktop.pool, at_once=True)
    window.go_prepare()
    spin(2)
    window.prepare.show_page("learned")
    spin(2)
    tree = window.prepare.view("learned").tree
    tree.expandItem(tree.topLevelItem(0))
    spin(0.5)
    window.grab().save(str(target / "learned.png"))


def shoot_halt(desktop: Desktop, target: Path, spin: Callable[[float], None]) -> None:
    """Let two sheets stick together in the feeder and take the picture of the halt."""
    assert desktop.window is not None
    stack = desktop.workspace.place.root / "feeder" / "stack.json"
    sheets = json.loads(stack.read_text())
    sheets[3]["trouble"] = "stuck"
    stack.write_text(json.dumps(sheets))
    desktop.window.go_work()
    desktop.window.work.presenter.scanning.refill()
    spin(1)
    desktop.window.work.presenter.scanning.scan()
    end = time.monotonic() + 60
    while not desktop.window.work.halt.isVisible() and time.monotonic() < end:
        spin(0.2)
    spin(0.5)
    desktop.window.grab().save(str(target / "halt.png"))


def shoot_rights(desktop: Desktop, target: Path, spin: Callable[[float], None]) -> None:
    """Sign in as the administrator, keep a cabinet to a group, and take the pictures of its list and of a role."""
    desktop.begin(PEOPLE[0][0])
    window = desktop.window
    assert window is not None
    window.resize(1280, 800)
    window.go_cabinets()
    spin(1)
    window.cabinets.presenter.open("Purchasing")
    spin(1)
    all_of_it = {Grantee("group", "Purchasing"): list(Right), Grantee("role", "administrator"): list(Right)}
    kept = {**all_of_it, Grantee("role", "operator"): [Right.LOOK, Right.SEND]}
    window.seat.bus.tell(access.keep_to(window.seat.session, access.Spot("Purchasing"), kept))
    window.cabinets.handlers.trigger("cabinets.keep to")
    spin(1)
    sheet = window.edge.shown
    assert isinstance(sheet, AccessSheet)
    elspra = sheet.person.findText(PEOPLE[2][0])
    sheet.person.setCurrentIndex(elspra)
    sheet.presenter.choose_person(str(sheet.person.itemData(elspra)))
    spin(1)
    window.grab().save(str(target / "kept-to.png"))
    window.edge.end()
    shoot_editors(window, target, spin)
    window.go_prepare()
    window.prepare.show_part("people", window.seat.workspace.person(PEOPLE[2][0]).id)
    spin(1)
    people = window.prepare.view("people")
    people.views["people"].show_tab(1)
    people.reach.expandItem(people.reach.topLevelItem(2))
    spin(0.3)
    window.grab().save(str(target / "people.png"))


if __name__ == "__main__":
    main(*map(Path, sys.argv[1:]))
