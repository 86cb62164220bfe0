"""All tables of the one database: the work in hand and the repository; what is set up is in ``schema_setup.py``.

Parts of the set-up stand in every table by id: cabinets, types, fields and folder fields, registers, routines,
storage areas and people (``owner``, ``who``, ``filed_by``). What is noted for people to read later (the filing record,
the audit trail) keeps the names of its time besides.

The migrations make them; a test compares both. ``store_format`` tells stores of this line of schemas, each of which is
brought up to date, from earlier ones, whose migrations are gone. Times are ISO 8601 text in UTC; ids are text.
"""

from __future__ import annotations

from sqlalchemy import (
    JSON,
    Boolean,
    CheckConstraint,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    Numeric,
    String,
    Table,
    Text,
    UniqueConstraint,
    literal_column,
)

from keybundle.core.store.columns import Told, Words
from keybundle.core.store.schema_setup import counter as counter
from keybundle.core.store.schema_setup import draft as draft
from keybundle.core.store.schema_setup import entry_history as entry_history
from keybundle.core.store.schema_setup import metadata as metadata
from keybundle.core.store.schema_setup import person_secret as person_secret
from keybundle.core.store.schema_setup import proposal as proposal
from keybundle.core.store.schema_setup import register_entry as register_entry
from keybundle.core.store.schema_setup import setting as setting
from keybundle.core.store.schema_setup import setup_history as setup_history
from keybundle.core.store.schema_setup import setup_part as setup_part
from keybundle.core.store.schema_setup import starter as starter
from keybundle.core.store.schema_setup import store_format as store_format

batch = Table(
    "batch",
    metadata,
    Column("id", String, primary_key=True),
    Column("routine", String, nullable=False),
    Column("origin", Words, nullable=False),
    Column("owner", String, nullable=False),
    Column("created_at", String, nullable=False),
    Column("captured_at", String),
    Column("closed_at", String),
    Column("thrown_by", String),
    Column("two_sided", Boolean, nullable=False),
    Column("paper_mm", JSON, nullable=False),
    Column("next_captured", Integer, nullable=False),
    Column("cut", Told, nullable=False),
    Column("revision", Integer, nullable=False),
)
batch_share = Table(
    "batch_share",
    metadata,
    Column("batch_id", String, ForeignKey("batch.id"), primary_key=True),
    Column("kind", String, primary_key=True),
    Column("grantee", String, primary_key=True),
)
Index("batch_thrown", batch.c.closed_at, sqlite_where=batch.c.thrown_by.is_not(None))
Index("batch_open", batch.c.created_at, sqlite_where=batch.c.closed_at.is_(None))
# Whatever came in, by itself or inside something else, and what became of it; pages name the one they came with.
arrival = Table(
    "arrival",
    metadata,
    Column("id", String, primary_key=True),
    Column("batch_id", String, ForeignKey("batch.id")),
    Column("parent_id", String, ForeignKey("arrival.id")),
    Column("name", String, nullable=False),
    Column("tree", String, nullable=False),
    Column("sha", String, nullable=False),
    Column("mime", String, nullable=False),
    Column("size", Integer, nullable=False),
    Column("received_at", String, nullable=False),
    Column("origin", String, nullable=False),
    Column("brought", JSON(none_as_null=True)),
    Column("state", String, nullable=False),
    Column("why", Words, nullable=False),
    Column("is_container", Boolean, nullable=False),
    Column("name_bytes", LargeBinary),
)
Index("arrival_by_batch", arrival.c.batch_id, arrival.c.is_container, arrival.c.state)
Index("arrival_without_batch", arrival.c.received_at, sqlite_where=arrival.c.batch_id.is_(None))
# The words of a page, once: the batch's page and the filed version's page name the same row, which never changes.
page_text = Table(
    "page_text", metadata, Column("id", Integer, primary_key=True), Column("bytes", LargeBinary, nullable=False)
)
page = Table(
    "page",
    metadata,
    Column("id", String, primary_key=True),
    Column("batch_id", String, ForeignKey("batch.id"), nullable=False),
    Column("captured", Integer, nullable=False),
    Column("position", Integer, nullable=False),
    Column("source", String, nullable=False),
    Column("source_index", Integer, nullable=False),
    Column("sheet", Integer, nullable=False),
    Column("side", String, nullable=False),
    Column("file_sha", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("captured_at", String, nullable=False),
    Column("facts", JSON),
    Column("trouble", Words, nullable=False, default=""),
    Column("turn", Integer, nullable=False, default=0),
    Column("disposition", String),
    Column("reason", Words),
    Column("note", Words),
    Column("document_id", String, ForeignKey("batch_document.id")),
    Column("text_id", Integer, ForeignKey("page_text.id")),
    Column("text_rotation", Integer),
    Column("hand_break", Boolean),
    Column("hand_kept", Boolean),
    Column("name", String, nullable=False),
    Column("language", String, nullable=False),
    Column("text_origin", String, nullable=False),
    Column("quality", Float),
    Column("arrival", String, ForeignKey("arrival.id"), nullable=False),
    Column("cut", Boolean, nullable=False),
    Column("stage", String, nullable=False),
    UniqueConstraint("batch_id", "captured"),
)
Index("page_by_batch", page.c.batch_id, page.c.position)
# What the machine still has to do, and what the account still misses: both small, however many pages there were.
# A partial index serves a query that says the same in the same letters, so both take this.
IN_WORK = page.c.stage.in_([literal_column("'captured'"), literal_column("'looked at'"), literal_column("'placed'")])
Index("page_in_work", page.c.batch_id, page.c.stage, sqlite_where=IN_WORK)
Index("page_loose", page.c.batch_id, page.c.disposition, sqlite_where=page.c.document_id.is_(None))
Index("page_by_time", page.c.captured_at)
Index("page_by_document", page.c.document_id)
Index("page_by_text", page.c.text_id, sqlite_where=page.c.text_id.is_not(None))
batch_document = Table(
    "batch_document",
    metadata,
    Column("id", String, primary_key=True),
    Column("batch_id", String, ForeignKey("batch.id"), nullable=False),
    Column("break_reason", Words, nullable=False),
    Column("type", String),
    Column("type_confidence", Float),
    Column("type_origin", String),
    Column("state", String, nullable=False),
    Column("parked", String),
    Column("filed_id", String),
    Column("proposed", Boolean, nullable=False, default=False),
    Column("tags", JSON, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("trouble", Words, nullable=False),
    Column("type_because", Words),
    Column("type_rival", String),
    Column("kept_to", Text),
)
Index("document_by_batch", batch_document.c.batch_id)
batch_value = Table(
    "batch_value",
    metadata,
    Column("document_id", String, ForeignKey("batch_document.id"), primary_key=True),
    Column("field", String, primary_key=True),
    Column("data", JSON, nullable=False),
)
step = Table(
    "step",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", String, ForeignKey("batch.id"), nullable=False),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("label", Words, nullable=False),
    Column("delta", Told, nullable=False),
    Column("undone", Boolean, nullable=False, default=False),
    Column("revision", Integer, nullable=False),
)
Index("step_by_batch", step.c.batch_id, step.c.id)

folder = Table(
    "folder",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("cabinet", String, nullable=False),
    Column("parent_id", Integer, ForeignKey("folder.id")),
    Column("level", Integer, nullable=False),
    Column("field", String, nullable=False),
    Column("value", String, nullable=False),
    Column("path", String, nullable=False),
    Column("folded", String, nullable=False),
    Column("documents", Integer, nullable=False),
    Column("last", Integer, nullable=False),
    Column("storage_area", String),
    Column("is_kept", Boolean, nullable=False, server_default=literal_column("0")),
    Column("became", Integer, ForeignKey("folder.id")),
    Column("own_access_id", String, ForeignKey("access_list.id")),
    Column("access_id", String, ForeignKey("access_list.id")),
    Column("follows", JSON(none_as_null=True)),
    CheckConstraint("became IS NULL OR became != id", name="folder_became_another"),
)
# A folder that became another one is named by old versions alone: only those that are there have their path to themselves.
IS_THERE = folder.c.became.is_(None)
Index("folder_by_path", folder.c.cabinet, folder.c.path, unique=True, sqlite_where=IS_THERE)
Index("folder_by_access", folder.c.access_id, sqlite_where=folder.c.access_id.is_not(None))
Index("folder_by_parent", folder.c.parent_id, folder.c.value)
Index("folder_that_became", folder.c.became, sqlite_where=folder.c.became.is_not(None))
Index("folder_that_follows", folder.c.cabinet, sqlite_where=folder.c.follows.is_not(None))
Index("folder_by_words", folder.c.cabinet, folder.c.folded)
# Names that lead to a folder which is called otherwise now, by where they stood.
folder_name = Table(
    "folder_name",
    metadata,
    Column("parent_id", Integer, ForeignKey("folder.id"), primary_key=True),
    Column("value", String, primary_key=True),
    Column("folder_id", Integer, ForeignKey("folder.id"), nullable=False),
    Column("position", Integer, nullable=False),
)
Index("folder_name_of", folder_name.c.folder_id)
# What a folder gives the documents below it, by field.
folder_value = Table(
    "folder_value",
    metadata,
    Column("folder_id", Integer, ForeignKey("folder.id"), primary_key=True),
    Column("field", String, primary_key=True),
    Column("value", String, nullable=False),
)
folder_tag = Table(
    "folder_tag",
    metadata,
    Column("folder_id", Integer, ForeignKey("folder.id"), primary_key=True),
    Column("tag", String, primary_key=True),
)
# What a folder's path says of each field, its own level and those above; sorted as the repository's locale does.
folder_level = Table(
    "folder_level",
    metadata,
    Column("cabinet", String, primary_key=True),
    Column("field", String, primary_key=True),
    Column("sort_key", LargeBinary, primary_key=True),
    Column("value", String, primary_key=True),
    Column("folder_id", Integer, ForeignKey("folder.id"), primary_key=True),
    sqlite_with_rowid=False,
)
Index(
    "folder_level_by_value",
    folder_level.c.cabinet,
    folder_level.c.field,
    folder_level.c.value,
    folder_level.c.folder_id,
)
Index("folder_level_by_folder", folder_level.c.folder_id)
# ``folder.documents`` counts what takes the folder's list; what has a list of its own is counted here.
folder_count = Table(
    "folder_count",
    metadata,
    Column("folder_id", Integer, ForeignKey("folder.id"), primary_key=True),
    Column("access_id", String, ForeignKey("access_list.id"), primary_key=True),
    Column("documents", Integer, nullable=False),
)
document = Table(
    "document",
    metadata,
    Column("id", String, primary_key=True),
    Column("number", Integer, nullable=False, unique=True),
    Column("cabinet", String, nullable=False),
    Column("folder_id", Integer, ForeignKey("folder.id")),
    Column("type", String, nullable=False),
    Column("caption", String, nullable=False),
    Column("filed_at", String, nullable=False),
    Column("filed_by", String, nullable=False),
    Column("filing_key", String, nullable=False, unique=True),
    Column("batch_id", String),
    Column("removed_at", String),
    Column("received_at", String),
    Column("access_id", String, ForeignKey("access_list.id")),
    Column("pages", Integer, nullable=False),
    Column("version", Integer, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("removed_as", String),
    Column("removed_by", String),
    Column("removed_why", String),
)
Index("document_by_folder", document.c.folder_id, document.c.number, sqlite_where=document.c.removed_at.is_(None))
Index("document_by_type", document.c.type, document.c.number)
Index("document_by_time", document.c.filed_at, document.c.number)
Index("document_by_batch_filed", document.c.batch_id)
Index(
    "document_there", document.c.cabinet, document.c.number, document.c.folder_id,
    sqlite_where=document.c.removed_at.is_(None),
)  # fmt: skip
version = Table(
    "version",
    metadata,
    Column("document_id", String, ForeignKey("document.id"), primary_key=True),
    Column("number", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("comment", Words, nullable=False),
    Column("type", String, nullable=False),
    Column("folder_id", Integer, ForeignKey("folder.id")),
    Column("caption", String, nullable=False),
    Column("data", JSON, nullable=False),
    Column("tags", JSON, nullable=False),
    Column("path", String),
)
Index("version_by_folder", version.c.folder_id)
# A file made from a version's pages; one without a hash is to be made, which is work of its own.
rendition = Table(
    "rendition",
    metadata,
    Column("document_id", String, ForeignKey("document.id"), primary_key=True),
    Column("version", Integer, primary_key=True),
    Column("kind", String, primary_key=True),
    Column("sha", String),
)
version_page = Table(
    "version_page",
    metadata,
    Column("document_id", String, primary_key=True),
    Column("version", Integer, primary_key=True),
    Column("position", Integer, primary_key=True),
    Column("file_sha", String, nullable=False),
    Column("source_index", Integer, nullable=False),
    Column("kind", String, nullable=False),
    Column("page_id", String, nullable=False),
    Column("frame", JSON, nullable=False),
    Column("dpi", Float, nullable=False),
    Column("text_id", Integer, ForeignKey("page_text.id"), nullable=False),
    Column("flat_sha", String, nullable=False),
    Column("source", String, nullable=False),
    Column("name", String, nullable=False),
    Column("colour", String, nullable=False),
    Column("steps", JSON, nullable=False),
)
Index("version_page_by_page", version_page.c.page_id, version_page.c.document_id)
Index("version_page_by_text", version_page.c.text_id)
document_tag = Table(
    "document_tag",
    metadata,
    Column("document_id", String, ForeignKey("document.id"), primary_key=True),
    Column("position", Integer, primary_key=True),
    Column("tag", String, nullable=False),
    Column("folded", String, nullable=False),
)
Index("document_tag_by_folded", document_tag.c.folded, document_tag.c.document_id)
document_value = Table(
    "document_value",
    metadata,
    Column("document_id", String, ForeignKey("document.id"), primary_key=True),
    Column("field", String, primary_key=True),
    Column("position", Integer, primary_key=True),
    Column("value", String, nullable=False),
    Column("folded", String, nullable=False),
    Column("number", Numeric(20, 6, asdecimal=False)),
    Column("data", JSON, nullable=False),
)
Index("value_by_field", document_value.c.field, document_value.c.folded, document_value.c.document_id)
Index("value_by_number", document_value.c.field, document_value.c.number, document_value.c.document_id)
stored_file = Table(
    "stored_file",
    metadata,
    Column("sha", String, primary_key=True),
    Column("size", Integer, nullable=False),
    Column("at", String, nullable=False),
)
# Who needs which stored file: see ``store/ledger.py``.
file_use = Table(
    "file_use",
    metadata,
    Column("sha", String, primary_key=True),
    Column("kind", String, primary_key=True),
    Column("ref", String, primary_key=True),
    sqlite_with_rowid=False,
)
Index("file_use_in_passing", file_use.c.ref, sqlite_where=file_use.c.kind == literal_column("'sending'"))
# Where else than under the data directory a file lies: in the storage areas of what was filed with it.
file_place = Table(
    "file_place",
    metadata,
    Column("sha", String, primary_key=True),
    Column("area", String, primary_key=True),
)
Index("file_place_by_area", file_place.c.area)
audit = Table(
    "audit",
    metadata,
    Column("seq", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("what", String, nullable=False),
    Column("subject", String, nullable=False),
    Column("names", Text, nullable=False),
    Column("digest", String, nullable=False),
    Column("hash", String, nullable=False),
)
Index("audit_by_subject", audit.c.subject, audit.c.seq)
audit_detail = Table(
    "audit_detail",
    metadata,
    Column("seq", Integer, primary_key=True),
    Column("salt", String, nullable=False),
    Column("data", Text, nullable=False),
)
# Whom a cabinet, folder or document is kept to; equal lists are one row, whose id is a digest of what it says.
access_list = Table(
    "access_list",
    metadata,
    Column("id", String, primary_key=True),
    Column("entries", JSON, nullable=False),
)
filing_record = Table(
    "filing_record",
    metadata,
    Column("id", String, primary_key=True),
    Column("batch_id", String, nullable=False),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("left", Told, nullable=False),
    Column("balance", JSON, nullable=False),
    Column("audit_head", String, nullable=False),
)
Index("record_by_batch", filing_record.c.batch_id)
Index("record_by_time", filing_record.c.at)
filing_entry = Table(
    "filing_entry",
    metadata,
    Column("record_id", String, ForeignKey("filing_record.id"), primary_key=True),
    Column("position", Integer, primary_key=True),
    Column("document_id", String, nullable=False),
    Column("caption", String, nullable=False),
    Column("type", String, nullable=False),
    Column("path", JSON, nullable=False),
    Column("pages", Integer, nullable=False),
)
# What is under way or due, of every kind: see ``store/work.py``.
work = Table(
    "work",
    metadata,
    Column("kind", String, primary_key=True),
    Column("ref", String, primary_key=True),
    Column("holder", String, nullable=False),
    Column("token", String, nullable=False),
    Column("at", String, nullable=False),
    Column("until", String, nullable=False),
    Column("tries", Integer, nullable=False),
    Column("trouble", Words, nullable=False),
    Column("data", JSON(none_as_null=True)),
    sqlite_with_rowid=False,
)
Index("work_by_time", work.c.kind, work.c.until)
Index("work_in_hand", work.c.token, sqlite_where=work.c.token != literal_column("''"))
Index("work_troubled", work.c.kind, work.c.until, sqlite_where=work.c.trouble != literal_column("''"))
example = Table(
    "example",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("document", String, nullable=False),
    Column("type", String, nullable=False),
    Column("page", Integer, nullable=False),
    Column("look", LargeBinary, nullable=False),
    Column("lessons", JSON, nullable=False),
    Column("at", String, nullable=False),
    sqlite_autoincrement=True,
)
Index("example_by_document", example.c.document)
Index("example_by_type", example.c.type, example.c.page)
outcome = Table(
    "outcome",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("document", String, nullable=False),
    Column("field", String, nullable=False),
    Column("score", Float, nullable=False),
    Column("is_right", Boolean, nullable=False),
    Column("at", String, nullable=False),
)
Index("outcome_by_document", outcome.c.document)
search_row = Table(
    "search_row",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("ref", String, nullable=False, unique=True),
    Column("caption", String, nullable=False),
    Column("vals", String, nullable=False),
    Column("texts", JSON, nullable=False),
    Column("type", String, nullable=False),
    Column("cabinet", String, nullable=False),
    Column("month", String, nullable=False),
)
