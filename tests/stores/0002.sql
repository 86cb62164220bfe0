BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0002');
CREATE TABLE audit (
	seq INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	who VARCHAR NOT NULL, 
	what VARCHAR NOT NULL, 
	subject VARCHAR NOT NULL, 
	detail TEXT NOT NULL, 
	hash VARCHAR NOT NULL, 
	PRIMARY KEY (seq)
);
INSERT INTO "audit" VALUES(1,'2026-11-23T19:44:26.142+00:00','Jorwen Tillerman','set-up changed','Boat yard','{"cabinets":0}','42c4a7b134e3bc5d81c16b23ae254ba7963b1abbb6a9874777a3ad8568a08c17');
CREATE TABLE batch (
	id VARCHAR NOT NULL, 
	routine VARCHAR NOT NULL, 
	origin VARCHAR NOT NULL, 
	owner VARCHAR NOT NULL, 
	created_at VARCHAR NOT NULL, 
	captured_at VARCHAR, 
	closed_at VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "batch" VALUES('1ng95wtqygc6jc3q','Post','kept store','Jorwen Tillerman','2026-11-23T19:44:26.153+00:00',NULL,NULL);
CREATE TABLE batch_document (
	id VARCHAR NOT NULL, 
	batch_id VARCHAR NOT NULL, 
	break_reason VARCHAR NOT NULL, 
	type VARCHAR, 
	type_confidence FLOAT, 
	type_origin VARCHAR, 
	state VARCHAR NOT NULL, 
	parked VARCHAR, 
	filed_id VARCHAR, 
	proposed BOOLEAN NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE TABLE batch_value (
	document_id VARCHAR NOT NULL, 
	field VARCHAR NOT NULL, 
	data JSON NOT NULL, 
	PRIMARY KEY (document_id, field), 
	FOREIGN KEY(document_id) REFERENCES batch_document (id)
);
CREATE TABLE document (
	id VARCHAR NOT NULL, 
	number INTEGER NOT NULL, 
	cabinet VARCHAR NOT NULL, 
	folder_id INTEGER, 
	type VARCHAR NOT NULL, 
	caption VARCHAR NOT NULL, 
	filed_at VARCHAR NOT NULL, 
	filed_by VARCHAR NOT NULL, 
	filing_key VARCHAR NOT NULL, 
	batch_id VARCHAR, 
	removed_at VARCHAR, 
	PRIMARY KEY (id), 
	UNIQUE (number), 
	FOREIGN KEY(folder_id) REFERENCES folder (id), 
	UNIQUE (filing_key)
);
CREATE TABLE document_value (
	document_id VARCHAR NOT NULL, 
	field VARCHAR NOT NULL, 
	position INTEGER NOT NULL, 
	value VARCHAR NOT NULL, 
	folded VARCHAR NOT NULL, 
	number NUMERIC(20, 6), 
	data JSON NOT NULL, 
	PRIMARY KEY (document_id, field, position), 
	FOREIGN KEY(document_id) REFERENCES document (id)
);
CREATE TABLE filing_record (
	id VARCHAR NOT NULL, 
	batch_id VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	who VARCHAR NOT NULL, 
	data JSON NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE folder (
	id INTEGER NOT NULL, 
	cabinet VARCHAR NOT NULL, 
	parent_id INTEGER, 
	level INTEGER NOT NULL, 
	field VARCHAR NOT NULL, 
	value VARCHAR NOT NULL, 
	path VARCHAR NOT NULL, 
	storage_area VARCHAR, 
	PRIMARY KEY (id), 
	UNIQUE (cabinet, path), 
	FOREIGN KEY(parent_id) REFERENCES folder (id)
);
CREATE TABLE page (
	id VARCHAR NOT NULL, 
	batch_id VARCHAR NOT NULL, 
	captured INTEGER NOT NULL, 
	position INTEGER NOT NULL, 
	source VARCHAR NOT NULL, 
	source_index INTEGER NOT NULL, 
	sheet INTEGER NOT NULL, 
	side VARCHAR NOT NULL, 
	file_sha VARCHAR NOT NULL, 
	is_pdf BOOLEAN NOT NULL, 
	captured_at VARCHAR NOT NULL, 
	facts JSON, 
	trouble TEXT NOT NULL, 
	turn INTEGER NOT NULL, 
	disposition VARCHAR, 
	reason VARCHAR, 
	note VARCHAR, 
	document_id VARCHAR, 
	text BLOB, 
	text_rotation INTEGER, hand_break BOOLEAN, hand_kept BOOLEAN, 
	PRIMARY KEY (id), 
	UNIQUE (batch_id, captured), 
	FOREIGN KEY(batch_id) REFERENCES batch (id), 
	FOREIGN KEY(document_id) REFERENCES batch_document (id)
);
CREATE TABLE register_entry (
	register VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	position INTEGER NOT NULL, 
	"row" JSON NOT NULL, 
	PRIMARY KEY (register, "key")
);
CREATE TABLE search_row (
	id INTEGER NOT NULL, 
	kind VARCHAR NOT NULL, 
	ref VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (ref)
);
PRAGMA writable_schema=ON;
INSERT INTO sqlite_master(type,name,tbl_name,rootpage,sql)VALUES('table','search_text','search_text',0,'CREATE VIRTUAL TABLE search_text USING fts5(caption, vals, body, tokenize = ''unicode61 remove_diacritics 2'', prefix = ''2 3'')');
CREATE TABLE 'search_text_config'(k PRIMARY KEY, v) WITHOUT ROWID;
INSERT INTO "search_text_config" VALUES('version',4);
CREATE TABLE 'search_text_content'(id INTEGER PRIMARY KEY, c0, c1, c2);
CREATE TABLE 'search_text_data'(id INTEGER PRIMARY KEY, block BLOB);
INSERT INTO "search_text_data" VALUES(1,X'');
INSERT INTO "search_text_data" VALUES(10,X'00000000000000');
CREATE TABLE 'search_text_docsize'(id INTEGER PRIMARY KEY, sz BLOB);
CREATE TABLE 'search_text_idx'(segid, term, pgno, PRIMARY KEY(segid, term)) WITHOUT ROWID;
CREATE TABLE setting (
	name VARCHAR NOT NULL, 
	value JSON NOT NULL, 
	PRIMARY KEY (name)
);
CREATE TABLE setup_version (
	id INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	who VARCHAR NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "setup_version" VALUES(1,'2026-11-23T19:44:26.142+00:00','Jorwen Tillerman','# Set-up of a Key Bundle repository; see docs/setup-file.md
schema_version = 1
repository = "Boat yard"
locale = "en_GB"
time_zone = "UTC"

[[people]]
name = "Jorwen Tillerman"
role = "administrator"
');
CREATE TABLE step (
	id INTEGER NOT NULL, 
	batch_id VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	who VARCHAR NOT NULL, 
	label VARCHAR NOT NULL, 
	delta JSON NOT NULL, 
	undone BOOLEAN NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE TABLE stored_file (
	sha VARCHAR NOT NULL, 
	area VARCHAR NOT NULL, 
	size INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (sha)
);
CREATE TABLE version (
	document_id VARCHAR NOT NULL, 
	number INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	who VARCHAR NOT NULL, 
	comment VARCHAR NOT NULL, 
	pdf_sha VARCHAR NOT NULL, 
	PRIMARY KEY (document_id, number), 
	FOREIGN KEY(document_id) REFERENCES document (id)
);
CREATE TABLE version_page (
	document_id VARCHAR NOT NULL, 
	version INTEGER NOT NULL, 
	position INTEGER NOT NULL, 
	file_sha VARCHAR NOT NULL, 
	source_index INTEGER NOT NULL, 
	is_pdf BOOLEAN NOT NULL, 
	page_id VARCHAR NOT NULL, 
	frame JSON NOT NULL, 
	dpi FLOAT NOT NULL, 
	text BLOB NOT NULL, 
	PRIMARY KEY (document_id, version, position)
);
CREATE INDEX record_by_batch ON filing_record (batch_id);
CREATE INDEX folder_by_parent ON folder (parent_id);
CREATE INDEX document_by_batch ON batch_document (batch_id);
CREATE INDEX document_by_cabinet ON document (cabinet, filed_at);
CREATE INDEX document_by_folder ON document (folder_id);
CREATE INDEX step_by_batch ON step (batch_id, id);
CREATE INDEX value_by_field ON document_value (field, folded);
CREATE INDEX value_by_number ON document_value (field, number);
CREATE INDEX page_by_batch ON page (batch_id, position);
CREATE INDEX page_by_document ON page (document_id);
PRAGMA writable_schema=OFF;
COMMIT;
