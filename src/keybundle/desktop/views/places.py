"""Makes the window's places when they are first visited: their code is loaded then, so that the window starts sooner."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.desktop.actions import attention
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.views.notices import Notice
from keybundle.desktop.views.place import Place
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.presenters.access import Spot
    from keybundle.desktop.views.access_sheet import AccessSheet
    from keybundle.desktop.views.bench_view import BenchView
    from keybundle.desktop.views.give_sheet import GiveSheet
    from keybundle.desktop.views.person_sheet import PersonSheet
    from keybundle.desktop.views.trash_sheet import TrashSheet
    from keybundle.desktop.views.viewer_view import Viewer
    from keybundle.desktop.views.window import MainWindow


def make_viewer(seat: Seat, parent: QObject) -> Viewer:
    """Return a viewer."""
    from keybundle.desktop.presenters.viewer import ViewerPresenter
    from keybundle.desktop.views.viewer_view import Viewer

    return Viewer(ViewerPresenter(seat, parent), seat.may)


def make_person(seat: Seat) -> PersonSheet:
    """Return the sheet about who is at work."""
    from keybundle.desktop.presenters.person import PersonPresenter
    from keybundle.desktop.views.person_sheet import PersonSheet

    return PersonSheet(PersonPresenter(seat))


def make_access(seat: Seat, spot: Spot) -> AccessSheet:
    """Return the sheet about whom something is kept to."""
    from keybundle.desktop.presenters.access import AccessPresenter
    from keybundle.desktop.views.access_sheet import AccessSheet

    return AccessSheet(AccessPresenter(seat, spot))


def make_trash(seat: Seat) -> TrashSheet:
    """Return the sheet about what was deleted."""
    from keybundle.desktop.presenters.trash import TrashPresenter
    from keybundle.desktop.views.trash_sheet import TrashSheet

    told = tr("What was deleted lies here whole until the trash is emptied.")
    return TrashSheet(TrashPresenter(seat), tr("Trash"), told, tr("Deleted documents"))


def make_giving(seat: Seat, batch_id: str) -> GiveSheet:
    """Return the sheet about whom a batch was given to."""
    from keybundle.desktop.presenters.giving import GivingPresenter
    from keybundle.desktop.views.give_sheet import GiveSheet

    return GiveSheet(GivingPresenter(seat, BatchId(batch_id)))


# -- the places of a window ----------------------------------------------------------------------------------------------


def _make_work(window: MainWindow) -> Place:
    from keybundle.desktop.presenters.work import WorkPresenter
    from keybundle.desktop.views.work_view import WorkView

    view = WorkView(WorkPresenter(window.seat, window.shell.incoming, window))
    window.listen(view.presenter)
    view.presenter.changed.connect(lambda _: window.show_undo())
    view.batch_opened.connect(window.open_batch)
    view.record_opened.connect(partial(open_record, window))
    view.giving.connect(lambda batch_id: view.edge.open(make_giving(window.seat, batch_id)))
    view.halt_told.connect(lambda told: _tell_halt(window, told))
    return view


def _tell_halt(window: MainWindow, told: str) -> None:
    """Tell in every place that the feeder has stopped, as long as it has."""
    if told:
        window.shell.board.put(Notice("halt", told, "work", tr("See to it"), partial(window.go, "work")))
    else:
        window.shell.board.drop("halt")


def _make_cabinets(window: MainWindow) -> Place:
    from keybundle.desktop.presenters.cabinets import CabinetsPresenter
    from keybundle.desktop.views.cabinets_view import CabinetsView

    seat, viewers = window.seat, window.viewers
    view = CabinetsView(CabinetsPresenter(seat, window))
    edge = view.edge
    window.listen(view.presenter)
    view.presenter.changed.connect(lambda _: window.show_undo())
    view.files_dropped.connect(window.take_files)
    view.scan_asked.connect(window.prepare_scan)
    view.opened.connect(viewers.open)
    viewers.let_out(view.table.out)
    view.sending.connect(viewers.sends_at(edge))
    view.printing.connect(viewers.prints_at(edge))
    view.keeping.connect(lambda spot: edge.open(make_access(seat, spot)))
    view.sheet_asked.connect(edge.open)
    view.prepare_asked.connect(partial(window.prepare_part, way_back=window.go_cabinets))
    view.trash_asked.connect(lambda: edge.open(make_trash(seat)))
    return view


def _make_find(window: MainWindow) -> Place:
    from keybundle.desktop.presenters.find import FindPresenter
    from keybundle.desktop.views.find_view import FindView

    view = FindView(FindPresenter(window.seat, window))
    window.listen(view.presenter)
    view.batch_opened.connect(window.open_batch)
    view.opened.connect(lambda i: window.viewers.open(i, 0, view.presenter.query))
    window.viewers.let_out(view.hits.out)
    window.viewers.let_out(view.documents.table.out)
    view.sheet_asked.connect(view.edge.open)
    view.presenter.changed.connect(lambda _: window.show_undo())
    view.sending.connect(window.viewers.sends_at(view.edge))
    view.printing.connect(window.viewers.prints_at(view.edge))
    return view


def _make_prepare(window: MainWindow) -> Place:
    from keybundle.desktop.views.prepare.pages import Outside, make_place

    def browse(cabinet: str) -> None:
        window.go("cabinets")
        window.cabinets.presenter.show_cabinet(cabinet)

    shell, edge_of = window.shell, lambda: window.prepare.edge
    outside = Outside(
        window.listen, window.warn, lambda sheet: edge_of().open(sheet),
        lambda spot: edge_of().open(make_access(window.seat, spot)), browse, shell.other_data_asked.emit,
        shell.move_data_asked.emit,
    )  # fmt: skip
    return make_place(window.seat, window, outside)


def make_bench(window: MainWindow, batch_id: str) -> BenchView:
    """Return the bench of a batch."""
    from keybundle.desktop.presenters.bench import BenchPresenter
    from keybundle.desktop.views.bench_view import BenchView

    seat, viewers = window.seat, window.viewers
    view = BenchView(BenchPresenter(seat, BatchId(batch_id), window))
    edge = view.edge
    window.listen(view.presenter)
    view.left.connect(window.go_work)
    view.files_dropped.connect(lambda files: window.work.presenter.files.import_files(files, BatchId(batch_id)))
    view.presenter.changed.connect(lambda _: window.show_undo())
    view.window_made.connect(window.shell.bind)
    view.presenter.typed_left.connect(partial(window.shell.board.tell_left, view.presenter.place))
    view.presenter.closed.connect(lambda: window.release_bench(batch_id))
    view.presenter.record_made.connect(window.offer_record)
    view.offered.connect(window.offer)
    view.filed_opened.connect(viewers.open)
    view.sending.connect(viewers.sends_at(edge))
    view.printing.connect(viewers.prints_at(edge))
    view.keeping.connect(lambda spot: edge.open(make_access(seat, spot)))
    view.giving.connect(lambda batch_id: edge.open(make_giving(seat, batch_id)))
    view.prepare_asked.connect(partial(window.prepare_part, way_back=partial(window.open_batch, batch_id)))
    return view


def open_record(window: MainWindow, record_id: str) -> None:
    """Show a filing record in a window of its own; where somebody is at something else by then, it is offered."""
    from keybundle.desktop.presenters.records import load_record_page
    from keybundle.desktop.views.record_dialog import RecordDialog

    seat, shell = window.seat, window.shell

    def show(page: str) -> None:
        if not page:
            return
        dialog = RecordDialog(page, window)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.document_opened.connect(window.viewers.open)
        dialog.sending.connect(window.viewers.sends_at(window.edge))
        dialog.said.connect(window.say)
        shell.bind(dialog)
        shell.show_later(dialog)

    def came(page: str) -> None:
        if attention.is_undivided():
            show(page)
        elif page:
            window.offer(tr("The filing record is there."), tr("Show it"), partial(show, page))

    seat.runner.query(lambda: load_record_page(seat, record_id), came, owner=window)


@dataclass(frozen=True)
class PlaceRecord:
    """A place: its code (``go.CODE`` is the command that goes there), how it is made, where its button stands.

    ``typed`` are the beginnings of the names by which what is typed there is noted.
    """

    code: str
    make: Callable[[MainWindow], Place]
    at_right: bool = False
    typed: tuple[str, ...] = ()


PLACES = (
    PlaceRecord("work", _make_work, typed=("bench ",)),
    PlaceRecord("cabinets", _make_cabinets, typed=("documents",)),
    PlaceRecord("find", _make_find),
    PlaceRecord("prepare", _make_prepare, at_right=True, typed=("set-up ",)),
)
