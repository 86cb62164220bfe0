"""What is done to pages on the bench: strip commands, pages in hand, separating again, scanning in."""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.progress import CancelToken, Progress
from keybundle.core.workflows.arrange import bench, separating
from keybundle.core.workflows.keep.documents import received
from keybundle.core.workflows.take_in import account, rescan
from keybundle.core.workflows.take_in.capture import Captured, scan_options
from keybundle.core.workflows.take_in.devices import Scanner
from keybundle.desktop.presenters.desk import Desk
from keybundle.desktop.presenters.own_program import open_outside
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded


class BenchPages:
    """Verbs on the chosen pages of a bench. Pages in hand are the seat's: they can be pasted on another bench."""

    def __init__(self, at: Desk, seat: Seat) -> None:
        self._at = at
        self._s = seat

    def act(self, name: str) -> None:
        """Run a strip command on the selected pages, else on the current one."""
        s, at, chosen = self._s, self._at, self._at.chosen_pages()
        if chosen:
            label, command = bench.page_command(name, chosen, s.workspace.clock.new_id)
            at.change(lambda: bench.edit_pages(s.session, s.line, at.batch_id, label, command))

    def cut(self) -> None:
        """Take the chosen pages in hand, to be pasted elsewhere; they stay where they are until then."""
        chosen = self._at.chosen_pages()
        self._s.hand.take(self._at.batch_id, chosen)
        self._at.select_all(())
        self._at.said.emit(
            tr(
                "{pages} in hand; paste before a page with Ctrl+V, after it with Ctrl+Shift+V, in this "
                "batch or another one",
                pages=trn("{n:,} page", "{n:,} pages", len(chosen)),
            )
        )

    def has_in_hand(self) -> bool:
        """Whether pages wait to be pasted, of this batch or another one."""
        return bool(self._s.hand.pages)

    def scanner(self) -> Scanner | None:
        """Return the scanner that the batch's routine scans with, if it is there."""
        routine = self._s.workspace.setup.routine(self._at.batch.routine) if self._at.batch else None
        return self._s.devices.scanner_for(routine) if routine is not None else None

    def paste(self, *, after: bool = False) -> None:
        """Put the pages in hand before the current page, or after it."""
        hand, s, at, target = self._s.hand, self._s, self._at, self._at.page_id
        if hand.pages and target is not None:
            source, pages = hand.batch, list(hand.pages)
            if source == at.batch_id:
                self.move(pages, target, after=after)
            else:
                at.change(
                    lambda: bench.move_to_batch(
                        s.session,
                        s.line,
                        BatchId(source),
                        [PageId(i) for i in pages],
                        at.batch_id,
                        PageId(target),
                        after=after,
                    )
                )
            hand.let_go()

    def move(self, page_ids: list[str], target: str, *, after: bool = False) -> None:
        """Put pages before a page, or after it, and into its document."""
        s, at = self._s, self._at
        label, command = bench.move_command(page_ids, target, after=after)
        at.select_all(())
        at.change(lambda: bench.edit_pages(s.session, s.line, at.batch_id, label, command))

    def open_received(self) -> None:
        """Open the file that the page came with in its own program."""
        s, at, page = self._s, self._at, self._at.page_id
        if page is not None:
            open_outside(s, lambda: received.copy_page(s.session, at.batch_id, PageId(page)), at, at.failed.emit)

    def list_not_taken(self) -> None:
        """List what came in with the batch and was not taken, with the reasons."""
        s, at = self._s, self._at
        s.runner.query(
            lambda: account.list_not_taken(s.session, at.batch_id),
            lambda found: at.not_taken_found.emit([worded(r.why) for r in found]), key="not taken", owner=at,
            on_error=at.failed.emit,
        )  # fmt: skip

    def separate_again(self) -> None:
        """Cut the batch by its routine's present rules; what people did to it stays."""
        s, at = self._s, self._at

        def done(found: separating.Separated) -> None:
            s.bus.tell(found.changes)
            at.conflicts_found.emit(found.conflicts)
            at.refresh()

        at.flush()
        at.doing.begin(
            tr("Reading pages to separate them again"),
            lambda tell, cancel: separating.separate_batch_again(
                s.session, s.line, s.pool, at.batch_id, progress=tell, cancel=cancel
            ),
            done, at.failed.emit, owner=at,
        )  # fmt: skip

    def scan_in(self, *, replaces: bool) -> None:
        """Scan to the place after the current page, or one page in its stead (from the glass where there is one)."""
        s, at, target = self._s, self._at, self._at.page_id
        routine = s.workspace.setup.routine(at.batch.routine) if at.batch else None
        scanner = self.scanner()
        if routine is None or scanner is None or target is None:
            return

        def work(tell: Progress, cancel: CancelToken) -> Captured:
            options = scan_options(routine)
            if replaces:
                options = replace(options, duplex=False)
                on_glass = replace(options, source="glass")
                options = on_glass if scanner.offers().source_for(on_glass) is not None else options
            return rescan.scan_at(
                s.session, s.line, scanner, at.batch_id, target, replaces=replaces, options=options, progress=tell,
                cancel=cancel,
            )  # fmt: skip

        at.flush()
        what = tr("Scanning a page in place of this one") if replaces else tr("Scanning in after this page")
        at.doing.begin(what, work, self._scanned_in, at.failed.emit, owner=at)

    def _scanned_in(self, found: Captured) -> None:
        if found.halt:
            self._at.failed.emit(found.halt)
        else:
            self._at.said.emit(tr("{sides} scanned in", sides=trn("{n:,} side", "{n:,} sides", found.sides)))
        self._at.refresh()
