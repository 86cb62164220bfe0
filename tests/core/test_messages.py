"""Messages with documents: addresses as people write them, and mail servers that refuse, hang or are full."""

from __future__ import annotations

import email
import email.policy
import socket
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.export.message import Letter, hand_in, make_message, read_addresses
from keybundle.core.setup.model import MailServer
from keybundle.demo.mail_server import StandInMailServer
from tests.support import DataTest

SENDER = "archive@larkmere.example"


class Messages(DataTest):
    def serve(self, **options: Any) -> tuple[StandInMailServer, MailServer]:
        server = StandInMailServer(self.folder / "post", **options)
        server.start()
        self.addCleanup(server.stop)
        return server, MailServer(host="127.0.0.1", port=server.port, sender=SENDER)

    def file(self, name: str, size: int) -> Path:
        path = self.folder / name
        path.write_bytes(b"%PDF-1.4 " + b"x" * size)
        return path

    def test_addresses_are_told_apart_as_people_part_them(self) -> None:
        told = "asa@holme.example; Åsa Ødegård <asa@holme.example>,\n b@c.example ,"
        self.assertEqual(read_addresses(told), ("asa@holme.example", "Åsa Ødegård <asa@holme.example>", "b@c.example"))
        for wrong in ("asa", "asa@", "@holme.example", "a b@c.example", "a@b@c.example"):
            with self.assertRaisesRegex(InputProblem, "is no e-mail address"):
                read_addresses(f"good@holme.example, {wrong}")

    @given(st.text(max_size=60), st.text(st.characters(exclude_categories=("Cs",)), max_size=200))
    def test_whatever_is_said_reads_back(self, subject: str, text: str) -> None:
        # Source: RFC 5322 and RFC 2047 as Python's standard library reads them back.
        clean = " ".join(subject.encode("utf-8", "ignore").decode().split())
        made = make_message(Letter(("asa@holme.example",), clean, text), SENDER, [], is_draft=True)
        back = email.message_from_bytes(made.as_bytes(), policy=email.policy.default)
        self.assertEqual((str(back["To"]), back["X-Unsent"]), ("asa@holme.example", "1"))
        self.assertEqual("".join(str(back["Subject"]).split()), "".join(clean.split()))

    def test_names_in_any_letters_and_kinds_of_file(self) -> None:
        files = [self.file(n, 5) for n in ("Åre 1.pdf", "scan.tif", "odd.xyz", "values.csv")]
        made = make_message(Letter((), "x", "y"), SENDER, files, is_draft=False)
        back = email.message_from_bytes(made.as_bytes(), policy=email.policy.default)
        self.assertEqual([p.get_filename() for p in back.iter_attachments()], [p.name for p in files])
        kinds = [p.get_content_type() for p in back.iter_attachments()]
        self.assertEqual(kinds[:2] + kinds[3:], ["application/pdf", "image/tiff", "text/csv"])

    def test_one_refused_address_is_told_and_the_others_get_it(self) -> None:
        server, where = self.serve()
        message = make_message(Letter(("a@b.example",), "x", "y"), SENDER, [self.file("a.pdf", 9)], is_draft=False)
        refused = hand_in(message, where, ["a@b.example", "nobody@b.example"])
        self.assertEqual(list(refused), ["nobody@b.example"])
        self.assertIn("nobody of that name", refused["nobody@b.example"])
        self.assertEqual([p.read_text() for p in server.folder.glob("*.to")], ["a@b.example"])
        everybody = hand_in(message, where, ["nobody@b.example"])
        self.assertEqual((list(everybody), len(list(server.folder.glob("*.eml")))), (["nobody@b.example"], 1))

    def test_a_sign_in_with_a_password_that_its_owner_alone_may_read(self) -> None:
        server, open_where = self.serve(passwords={"archive": "sluice-gate"})
        kept = self.folder / "password"
        kept.write_text("sluice-gate\n")
        where = open_where.model_copy(update={"user": "archive", "password_file": str(kept)})
        message = make_message(Letter(("a@b.example",), "x", "y"), SENDER, [], is_draft=False)
        kept.chmod(0o644)
        with self.assertRaisesRegex(InputProblem, "others may read it"):
            hand_in(message, where, ["a@b.example"])
        kept.chmod(0o600)
        self.assertEqual(hand_in(message, where, ["a@b.example"]), {})
        kept.write_text("lock-gate")
        with self.assertRaisesRegex(InputProblem, "does not let “archive” in") as told:
            hand_in(message, where, ["a@b.example"])
        self.assertNotIn("lock-gate", str(told.exception))
        kept.unlink()
        with self.assertRaisesRegex(InputProblem, "is not to be had"):
            hand_in(message, where, ["a@b.example"])
        self.assertIn("sign in first", hand_in(message, open_where, ["a@b.example"])["a@b.example"])
        self.assertEqual(len(list(server.folder.glob("*.eml"))), 1)

    def test_a_message_over_the_servers_size_is_told_as_that(self) -> None:
        _, where = self.serve(largest=20_000)
        message = make_message(Letter(("a@b.example",), "x", "y"), SENDER, [self.file("a.pdf", 60_000)], is_draft=False)
        with self.assertRaisesRegex(InputProblem, "larger than 127.0.0.1:.* takes"):
            hand_in(message, where, ["a@b.example"])

    def test_a_server_that_hangs_or_hangs_up_is_not_waited_for(self) -> None:
        message = make_message(Letter(("a@b.example",), "x", "y"), SENDER, [], is_draft=False)
        with socket.create_server(("127.0.0.1", 0)) as silent:
            where = MailServer(host="127.0.0.1", port=silent.getsockname()[1], sender=SENDER)
            with self.assertRaisesRegex(EnvironmentProblem, "does not answer"):
                hand_in(message, where, ["a@b.example"], seconds=0.3)
        with self.assertRaisesRegex(EnvironmentProblem, "cannot be reached"):
            hand_in(message, where, ["a@b.example"], seconds=0.3)
