"""Pictures of Prepare: a fresh repository and what it lacks, and the editors of the demo's set-up."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt

from keybundle.core.workflows.prepare.parts import parts
from keybundle.demo.database import make_database
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.window import MainWindow

Spin = Callable[[float], None]


def shoot_first_start(target: Path, spin: Spin) -> None:
    """Begin a repository in an empty directory, and take the pictures of the page for that and of what it lacks then."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-shots-"))
    settings = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)
    desktop = Desktop(folder / "data", settings=settings)
    start = desktop.start
    desktop.root.resize(1280, 800)
    desktop.root.show()
    start.where.setText("The data will be in ~/weirside")
    start.repository.setText("Weirside Stores")
    start.administrator.setText("Ottoline Reedmace")
    start.beginnings.item(0).setCheckState(Qt.CheckState.Checked)
    spin(0.5)
    start.time_zone.setText("Europe/Weirsid")
    start.go.click()
    spin(2)
    start.where.setText("The data will be in ~/weirside")
    desktop.root.grab().save(str(target / "first-start.png"))
    start.time_zone.setText("UTC")
    start.beginnings.item(0).setCheckState(Qt.CheckState.Unchecked)
    start.go.click()
    while desktop.window is None:
        spin(0.1)
    desktop.window.resize(1280, 800)
    spin(1.5)
    desktop.window.message.setText("")
    desktop.window.grab().save(str(target / "not-ready-yet.png"))
    desktop.close()
    shutil.rmtree(folder)


def shoot_editors(window: MainWindow, target: Path, spin: Spin) -> None:
    """Take the pictures of a routine, a cabinet, a document type's fields, a register and folders."""
    window.message.setText("")
    window.go_prepare()
    place = window.prepare
    place.show_part("routines", place_of(window, "routines", "Post"))
    spin(4)
    window.grab().save(str(target / "prepare.png"))
    for kind, name, picture, tab in (
        ("cabinets", "Purchasing", "cabinet", 0),
        ("document_types", "Bill", "types", 1),
    ):
        place.show_part(kind, place_of(window, kind, name))
        view = place.view(place.shown)
        if tab:
            view.show_tab(tab)
        spin(1.5)
        window.grab().save(str(target / f"{picture}.png"))
    shoot_database(window, target, spin)
    place.show_page("folders")
    view = place.view("folders")
    spin(1)
    view.presenter.give("Heron Basin", "Examiner", "Marisk Saltmarrow")
    spin(0.5)
    view.presenter.give("", "Annual charge", "340.00")
    spin(0.5)
    view.list.setCurrentItem(view.list.item(1))
    view.tags.setText("to survey")
    view.tag.click()
    spin(1.5)
    window.grab().save(str(target / "folders.png"))


def shoot_database(window: MainWindow, target: Path, spin: Spin) -> None:
    """Let a register be read from a database, and take the picture of how that is said and what was read."""
    session, root = window.seat.session, window.seat.workspace.place.root
    make_database(root / "stock.db")
    columns = {"Name": "name", "Supplier number": "number", "IBAN": "iban", "Town": "town"}
    made = parts.add_part(session, "registers", "Stores", {"columns": tuple(columns), "key": "Name"})
    register = window.seat.workspace.setup.register(made)
    source = {"url": f"sqlite:///{root / 'stock.db'}", "table": "suppliers", "columns": columns}
    parts.save_part(session, "registers", parts.change_part(register, {"source": source}))
    window.prepare.show_part("registers", made)
    view = window.prepare.view("registers")
    spin(1)
    view.registers.read_now()
    spin(1.5)
    view.show_tab(0)
    view.form.rows["source.url"].editor.setText("sqlite:////srv/weirside/stock.db")
    spin(0.3)
    window.grab().save(str(target / "register.png"))


def place_of(window: MainWindow, kind: str, name: str) -> str:
    """Return the id of the part of this name."""
    return str(next(p.id for p in getattr(window.seat.workspace.setup, kind) if p.name == name))
