BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0005');
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
INSERT INTO "audit" VALUES(1,'2026-11-25T14:26:34.703+00:00','Jorwen Tillerman','set-up changed','Boat yard','{"cabinets":0}','b6a41ce0bc97024a591a93920ba5ac4d6a0a3a8683cffd267a1feefbbc3a44f2');
CREATE TABLE batch (
	id VARCHAR NOT NULL, 
	routine VARCHAR NOT NULL, 
	origin VARCHAR NOT NULL, 
	owner VARCHAR NOT NULL, 
	created_at VARCHAR NOT NULL, 
	captured_at VARCHAR, 
	closed_at VARCHAR, given JSON DEFAULT '{}' NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "batch" VALUES('1ngdw0tx0v163afm','Post','kept store','Jorwen Tillerman','2026-11-25T14:26:34.719+00:00',NULL,NULL,'{"": {"Reach": "Ashwold Summit"}}');
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
	proposed BOOLEAN NOT NULL, tags JSON DEFAULT '[]' NOT NULL, 
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
CREATE TABLE counter (
	name VARCHAR NOT NULL, 
	last INTEGER NOT NULL, 
	PRIMARY KEY (name)
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
	removed_at VARCHAR, tags JSON DEFAULT '[]' NOT NULL, received_at VARCHAR, 
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
CREATE TABLE example (
	id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT, 
	document VARCHAR NOT NULL, 
	type VARCHAR NOT NULL, 
	page INTEGER NOT NULL, 
	look BLOB NOT NULL, 
	lessons JSON NOT NULL, 
	at VARCHAR NOT NULL
);
INSERT INTO "example" VALUES(1,'d1','Note',0,X'789C63666060E0640081067B1006000626018B','[{"field": "Title", "page": 0, "label": "Title", "zone": [0.1, 0.1, 0.2, 0.12], "date_order": ""}]','2026-11-25T14:26:35.014+00:00');
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
CREATE TABLE outcome (
	id INTEGER NOT NULL, 
	document VARCHAR NOT NULL, 
	field VARCHAR NOT NULL, 
	score FLOAT NOT NULL, 
	is_right BOOLEAN NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "outcome" VALUES(1,'d1','Title',0.9,1,'2026-11-25T14:26:35.021+00:00');
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
	text_rotation INTEGER, hand_break BOOLEAN, hand_kept BOOLEAN, name VARCHAR DEFAULT '' NOT NULL, language VARCHAR DEFAULT '' NOT NULL, text_origin VARCHAR DEFAULT '' NOT NULL, quality FLOAT, 
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
INSERT INTO "setup_version" VALUES(1,'2026-11-25T14:26:34.703+00:00','Jorwen Tillerman','# Set-up of a Key Bundle repository; see docs/setup-file.md
schema_version = 1
repository = "Boat yard"
locale = "en_GB"
time_zone = "UTC"

[[people]]
name = "Jorwen Tillerman"
role = "administrator"
');
CREATE TABLE starter (
	name VARCHAR NOT NULL, 
	type VARCHAR NOT NULL, 
	given JSON NOT NULL, 
	who VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (name)
);
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
	text BLOB NOT NULL, flat_sha VARCHAR DEFAULT '' NOT NULL, source VARCHAR DEFAULT '' NOT NULL, name VARCHAR DEFAULT '' NOT NULL, 
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
CREATE INDEX example_by_document ON example (document);
CREATE INDEX example_by_type ON example (type, page);
CREATE INDEX outcome_by_document ON outcome (document);
PRAGMA writable_schema=OFF;
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('example',1);
INSERT INTO "document"(id,number,cabinet,type,caption,filed_at,filed_by,filing_key,tags) VALUES('d1',1,'Notes','Note','A note','2026-11-24T10:00:00.000+00:00','Jorwen Tillerman','k1','["Äußerst dringend", "to sign"]');
INSERT INTO "version" VALUES('d1',1,'2026-11-24T10:00:00.000+00:00','Jorwen Tillerman','as filed','00');
COMMIT;
