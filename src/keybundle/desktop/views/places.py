"""Makes the window's places when they are first visited: their code is loaded then, so that the window starts sooner."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.presenters.access import Spot
    from keybundle.desktop.views.access_sheet import AccessSheet
    from keybundle.desktop.views.bench_view import BenchView
    from keybundle.desktop.views.cabinets_view import CabinetsView
    from keybundle.desktop.views.find_view import FindView
    from keybundle.desktop.views.give_sheet import GiveSheet
    from keybundle.desktop.views.person_sheet import PersonSheet
    from keybundle.desktop.views.prepare.pages import Outside
    from keybundle.desktop.views.prepare.prepare_view import PrepareView
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

    return GiveSheet(GivingPresenter(seat, batch_id))


def make_bench(seat: Seat, batch_id: str, parent: QObject) -> BenchView:
    """Return the bench of a batch."""
    from keybundle.desktop.presenters.bench import BenchPresenter
    from keybundle.desktop.views.bench_view import BenchView

    return BenchView(BenchPresenter(seat, batch_id, parent))


def make_cabinets(seat: Seat, parent: QObject) -> CabinetsView:
    """Return the cabinets place."""
    from keybundle.desktop.presenters.cabinets import CabinetsPresenter
    from keybundle.desktop.views.cabinets_view import CabinetsView

    return CabinetsView(CabinetsPresenter(seat, parent))


def make_find(seat: Seat, parent: QObject) -> FindView:
    """Return the find place."""
    from keybundle.desktop.presenters.find import FindPresenter
    from keybundle.desktop.views.find_view import FindView

    return FindView(FindPresenter(seat, parent))


def make_prepare(seat: Seat, parent: QObject, outside: Outside) -> PrepareView:
    """Return the prepare place."""
    from keybundle.desktop.views.prepare.pages import make_place

    return make_place(seat, parent, outside)


def outside(window: MainWindow) -> Outside:
    """Return what the pages of Prepare ask of a window."""
    from keybundle.desktop.views.prepare.pages import Outside

    return Outside(
        window.listen, window.warn, window.edge.open,
        lambda spot: window.edge.open(make_access(window.seat, spot)), window.browse, window.other_data_asked.emit,
        window.move_data_asked.emit,
    )  # fmt: skip
