CREATE TABLE access_list (
    id VARCHAR NOT NULL,
    entries JSON NOT NULL,
    PRIMARY KEY (id)
);
CREATE TABLE audit (
    seq INTEGER NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    what VARCHAR NOT NULL,
    subject VARCHAR NOT NULL,
    names TEXT NOT NULL,
    digest VARCHAR NOT NULL,
    hash VARCHAR NOT NULL,
    PRIMARY KEY (seq)
);
CREATE INDEX audit_by_subject ON audit (subject, seq);
CREATE TABLE audit_detail (
    seq INTEGER NOT NULL,
    salt VARCHAR NOT NULL,
    data TEXT NOT NULL,
    PRIMARY KEY (seq)
);
CREATE TABLE batch (
    id VARCHAR NOT NULL,
    routine VARCHAR NOT NULL,
    origin TEXT NOT NULL,
    owner VARCHAR NOT NULL,
    created_at VARCHAR NOT NULL,
    captured_at VARCHAR,
    closed_at VARCHAR,
    thrown_by VARCHAR,
    two_sided BOOLEAN NOT NULL,
    paper_mm JSON NOT NULL,
    next_captured INTEGER NOT NULL,
    cut JSON NOT NULL,
    revision INTEGER NOT NULL,
    PRIMARY KEY (id)
);
CREATE INDEX batch_open ON batch (created_at) WHERE closed_at IS NULL;
CREATE INDEX batch_thrown ON batch (closed_at) WHERE thrown_by IS NOT NULL;
CREATE TABLE counter (
    name VARCHAR NOT NULL,
    last INTEGER NOT NULL,
    PRIMARY KEY (name)
);
CREATE TABLE proposal (
    id INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    part VARCHAR NOT NULL,
    "row" JSON NOT NULL,
    who VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (id)
);
CREATE TABLE erase_due (
    name VARCHAR NOT NULL,
    is_file BOOLEAN NOT NULL,
    stored_at VARCHAR NOT NULL,
    PRIMARY KEY (name)
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
CREATE INDEX example_by_document ON example (document);
CREATE INDEX example_by_type ON example (type, page);
CREATE TABLE file_place (
    sha VARCHAR NOT NULL,
    area VARCHAR NOT NULL,
    PRIMARY KEY (sha, area)
);
CREATE INDEX file_place_by_area ON file_place (area);
CREATE TABLE filing_record (
    id VARCHAR NOT NULL,
    batch_id VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    "left" JSON NOT NULL,
    balance JSON NOT NULL,
    audit_head VARCHAR NOT NULL,
    PRIMARY KEY (id)
);
CREATE INDEX record_by_batch ON filing_record (batch_id);
CREATE INDEX record_by_time ON filing_record (at);
CREATE TABLE outcome (
    id INTEGER NOT NULL,
    document VARCHAR NOT NULL,
    field VARCHAR NOT NULL,
    score FLOAT NOT NULL,
    is_right BOOLEAN NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (id)
);
CREATE INDEX outcome_by_document ON outcome (document);
CREATE TABLE page_text (
    id INTEGER NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (id)
);
CREATE TABLE person_secret (
    person VARCHAR NOT NULL,
    hash VARCHAR NOT NULL,
    failures INTEGER NOT NULL,
    wait_until VARCHAR NOT NULL,
    PRIMARY KEY (person)
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
    caption VARCHAR NOT NULL,
    vals VARCHAR NOT NULL,
    texts JSON NOT NULL,
    type VARCHAR NOT NULL,
    cabinet VARCHAR NOT NULL,
    month VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (ref)
);
CREATE TABLE setting (
    name VARCHAR NOT NULL,
    value JSON NOT NULL,
    PRIMARY KEY (name)
);
CREATE TABLE setup_history (
    seq INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    id VARCHAR NOT NULL,
    revision INTEGER NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    data JSON,
    PRIMARY KEY (seq)
);
CREATE INDEX history_by_part ON setup_history (kind, id, seq);
CREATE TABLE setup_part (
    kind VARCHAR NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER NOT NULL,
    revision INTEGER NOT NULL,
    data JSON NOT NULL,
    is_dropped BOOLEAN NOT NULL,
    PRIMARY KEY (kind, id)
);
CREATE TABLE starter (
    type VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    given JSON NOT NULL,
    who VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (type, name)
);
CREATE TABLE store_format (
    stamp INTEGER NOT NULL,
    PRIMARY KEY (stamp)
);
CREATE TABLE stored_file (
    sha VARCHAR NOT NULL,
    size INTEGER NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (sha)
);
CREATE TABLE arrival (
    id VARCHAR NOT NULL,
    batch_id VARCHAR,
    parent_id VARCHAR,
    name VARCHAR NOT NULL,
    tree VARCHAR NOT NULL,
    sha VARCHAR NOT NULL,
    mime VARCHAR NOT NULL,
    size INTEGER NOT NULL,
    received_at VARCHAR NOT NULL,
    origin VARCHAR NOT NULL,
    brought JSON,
    state VARCHAR NOT NULL,
    why TEXT NOT NULL,
    is_container BOOLEAN NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(batch_id) REFERENCES batch (id),
    FOREIGN KEY(parent_id) REFERENCES arrival (id)
);
CREATE INDEX arrival_by_batch ON arrival (batch_id, is_container, state);
CREATE INDEX arrival_without_batch ON arrival (received_at) WHERE batch_id IS NULL;
CREATE TABLE batch_document (
    id VARCHAR NOT NULL,
    batch_id VARCHAR NOT NULL,
    break_reason TEXT NOT NULL,
    type VARCHAR,
    type_confidence FLOAT,
    type_origin VARCHAR,
    state VARCHAR NOT NULL,
    parked VARCHAR,
    filed_id VARCHAR,
    proposed BOOLEAN NOT NULL,
    tags JSON NOT NULL,
    claim VARCHAR,
    revision INTEGER NOT NULL,
    trouble TEXT NOT NULL,
    type_because TEXT,
    type_rival VARCHAR,
    kept_to TEXT,
    PRIMARY KEY (id),
    FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE INDEX document_by_batch ON batch_document (batch_id);
CREATE INDEX document_claimed ON batch_document (claim) WHERE claim IS NOT NULL;
CREATE TABLE batch_share (
    batch_id VARCHAR NOT NULL,
    kind VARCHAR NOT NULL,
    grantee VARCHAR NOT NULL,
    PRIMARY KEY (batch_id, kind, grantee),
    FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE TABLE filing_entry (
    record_id VARCHAR NOT NULL,
    position INTEGER NOT NULL,
    document_id VARCHAR NOT NULL,
    caption VARCHAR NOT NULL,
    type VARCHAR NOT NULL,
    path JSON NOT NULL,
    pages INTEGER NOT NULL,
    PRIMARY KEY (record_id, position),
    FOREIGN KEY(record_id) REFERENCES filing_record (id)
);
CREATE TABLE folder (
    id INTEGER NOT NULL,
    cabinet VARCHAR NOT NULL,
    parent_id INTEGER,
    level INTEGER NOT NULL,
    field VARCHAR NOT NULL,
    value VARCHAR NOT NULL,
    path VARCHAR NOT NULL,
    folded VARCHAR NOT NULL,
    documents INTEGER NOT NULL,
    last INTEGER NOT NULL,
    storage_area VARCHAR,
    is_kept BOOLEAN DEFAULT 0 NOT NULL,
    became INTEGER,
    own_access_id VARCHAR,
    access_id VARCHAR,
    PRIMARY KEY (id),
    UNIQUE (cabinet, path),
    FOREIGN KEY(parent_id) REFERENCES folder (id),
    FOREIGN KEY(became) REFERENCES folder (id),
    FOREIGN KEY(own_access_id) REFERENCES access_list (id),
    FOREIGN KEY(access_id) REFERENCES access_list (id)
);
CREATE INDEX folder_by_access ON folder (access_id) WHERE access_id IS NOT NULL;
CREATE INDEX folder_by_parent ON folder (parent_id);
CREATE INDEX folder_by_words ON folder (cabinet, folded);
CREATE TABLE step (
    id INTEGER NOT NULL,
    batch_id VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    label TEXT NOT NULL,
    delta JSON NOT NULL,
    undone BOOLEAN NOT NULL,
    revision INTEGER NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE INDEX step_by_batch ON step (batch_id, id);
CREATE TABLE version_page (
    document_id VARCHAR NOT NULL,
    version INTEGER NOT NULL,
    position INTEGER NOT NULL,
    file_sha VARCHAR NOT NULL,
    source_index INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    page_id VARCHAR NOT NULL,
    frame JSON NOT NULL,
    dpi FLOAT NOT NULL,
    text_id INTEGER NOT NULL,
    flat_sha VARCHAR NOT NULL,
    source VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    colour VARCHAR NOT NULL,
    steps JSON NOT NULL,
    PRIMARY KEY (document_id, version, position),
    FOREIGN KEY(text_id) REFERENCES page_text (id)
);
CREATE INDEX version_page_by_file ON version_page (file_sha, document_id);
CREATE INDEX version_page_by_flat ON version_page (flat_sha) WHERE flat_sha != '';
CREATE INDEX version_page_by_text ON version_page (text_id);
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
    received_at VARCHAR,
    access_id VARCHAR,
    pages INTEGER NOT NULL,
    version INTEGER NOT NULL,
    revision INTEGER NOT NULL,
    removed_as VARCHAR,
    removed_by VARCHAR,
    removed_why VARCHAR,
    PRIMARY KEY (id),
    UNIQUE (number),
    FOREIGN KEY(folder_id) REFERENCES folder (id),
    UNIQUE (filing_key),
    FOREIGN KEY(access_id) REFERENCES access_list (id)
);
CREATE INDEX document_by_batch_filed ON document (batch_id);
CREATE INDEX document_by_folder ON document (folder_id, number) WHERE removed_at IS NULL;
CREATE INDEX document_by_time ON document (filed_at, number);
CREATE INDEX document_by_type ON document (type, number);
CREATE INDEX document_there ON document (cabinet, number, folder_id) WHERE removed_at IS NULL;
CREATE TABLE folder_count (
    folder_id INTEGER NOT NULL,
    access_id VARCHAR NOT NULL,
    documents INTEGER NOT NULL,
    PRIMARY KEY (folder_id, access_id),
    FOREIGN KEY(folder_id) REFERENCES folder (id),
    FOREIGN KEY(access_id) REFERENCES access_list (id)
);
CREATE TABLE folder_level (
    cabinet VARCHAR NOT NULL,
    field VARCHAR NOT NULL,
    sort_key BLOB NOT NULL,
    value VARCHAR NOT NULL,
    folder_id INTEGER NOT NULL,
    PRIMARY KEY (cabinet, field, sort_key, value, folder_id),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
)
 WITHOUT ROWID;
CREATE INDEX folder_level_by_folder ON folder_level (folder_id);
CREATE INDEX folder_level_by_value ON folder_level (cabinet, field, value, folder_id);
CREATE TABLE folder_tag (
    folder_id INTEGER NOT NULL,
    tag VARCHAR NOT NULL,
    PRIMARY KEY (folder_id, tag),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
);
CREATE TABLE folder_value (
    folder_id INTEGER NOT NULL,
    field VARCHAR NOT NULL,
    value VARCHAR NOT NULL,
    PRIMARY KEY (folder_id, field),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
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
    kind VARCHAR NOT NULL,
    captured_at VARCHAR NOT NULL,
    facts JSON,
    trouble TEXT NOT NULL,
    turn INTEGER NOT NULL,
    disposition VARCHAR,
    reason TEXT,
    note TEXT,
    document_id VARCHAR,
    text_id INTEGER,
    text_rotation INTEGER,
    hand_break BOOLEAN,
    hand_kept BOOLEAN,
    name VARCHAR NOT NULL,
    language VARCHAR NOT NULL,
    text_origin VARCHAR NOT NULL,
    quality FLOAT,
    arrival VARCHAR NOT NULL,
    cut BOOLEAN NOT NULL,
    stage VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (batch_id, captured),
    FOREIGN KEY(batch_id) REFERENCES batch (id),
    FOREIGN KEY(document_id) REFERENCES batch_document (id),
    FOREIGN KEY(text_id) REFERENCES page_text (id),
    FOREIGN KEY(arrival) REFERENCES arrival (id)
);
CREATE INDEX page_by_batch ON page (batch_id, position);
CREATE INDEX page_by_document ON page (document_id);
CREATE INDEX page_by_file ON page (file_sha) WHERE facts IS NOT NULL;
CREATE INDEX page_by_text ON page (text_id) WHERE text_id IS NOT NULL;
CREATE INDEX page_by_time ON page (captured_at);
CREATE INDEX page_in_work ON page (batch_id, stage) WHERE stage IN ('captured', 'looked at', 'placed');
CREATE INDEX page_loose ON page (batch_id, disposition) WHERE document_id IS NULL;
CREATE TABLE copy_due (
    id INTEGER NOT NULL,
    document_id VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    copies JSON NOT NULL,
    tries INTEGER NOT NULL,
    next_at VARCHAR NOT NULL,
    trouble TEXT NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(document_id) REFERENCES document (id)
);
CREATE INDEX copy_due_by_time ON copy_due (next_at);
CREATE TABLE document_tag (
    document_id VARCHAR NOT NULL,
    position INTEGER NOT NULL,
    tag VARCHAR NOT NULL,
    folded VARCHAR NOT NULL,
    PRIMARY KEY (document_id, position),
    FOREIGN KEY(document_id) REFERENCES document (id)
);
CREATE INDEX document_tag_by_folded ON document_tag (folded, document_id);
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
CREATE INDEX value_by_field ON document_value (field, folded, document_id);
CREATE INDEX value_by_number ON document_value (field, number, document_id);
CREATE TABLE rendition (
    document_id VARCHAR NOT NULL,
    version INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    sha VARCHAR,
    state VARCHAR NOT NULL,
    tries INTEGER NOT NULL,
    next_at VARCHAR NOT NULL,
    trouble TEXT NOT NULL,
    PRIMARY KEY (document_id, version, kind),
    FOREIGN KEY(document_id) REFERENCES document (id)
);
CREATE INDEX rendition_by_sha ON rendition (sha) WHERE sha IS NOT NULL;
CREATE INDEX rendition_due ON rendition (next_at) WHERE state = 'due';
CREATE TABLE version (
    document_id VARCHAR NOT NULL,
    number INTEGER NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    comment TEXT NOT NULL,
    type VARCHAR NOT NULL,
    folder_id INTEGER,
    caption VARCHAR NOT NULL,
    data JSON NOT NULL,
    tags JSON NOT NULL,
    PRIMARY KEY (document_id, number),
    FOREIGN KEY(document_id) REFERENCES document (id),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
);
CREATE VIRTUAL TABLE search_text USING fts5(caption, vals, body, content = '', tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');
INSERT INTO store_format (stamp) VALUES (7);
CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL, PRIMARY KEY (version_num));
INSERT INTO alembic_version VALUES ('0001');
INSERT INTO setup_part(kind, id, position, revision, data, is_dropped) VALUES
  ('general', '', 0, 1, '{"repository": "Kept store"}', 0),
  ('cabinets', 'Letters', 0, 1, '{"id": "Letters", "name": "Letters"}', 0),
  ('document_types', 'Letter', 0, 2, '{"id": "Letter", "name": "Note", "cabinet": "Letters", "fields": [{"id": "Title", "name": "Title"}]}', 0),
  ('people', 'person-1', 0, 1, '{"id": "person-1", "name": "Orla Penstock", "roles": ["administrator"]}', 0);
INSERT INTO access_list(id, entries) VALUES ('l1', '[["person", "person-1", ["look"]]]');
INSERT INTO folder(id, cabinet, level, field, value, path, folded, documents, last, own_access_id, access_id)
  VALUES (1, 'Letters', -1, '', '', '', '', 1, 1, 'l1', 'l1');
INSERT INTO batch(id, routine, origin, owner, created_at, captured_at, two_sided, paper_mm, next_captured, cut, revision)
  VALUES ('b1', 'Post', 'feeder', 'person-1', '2026-01-01T08:00:00+00:00', '2026-01-01T08:01:00+00:00', 0,
  '[210.0, 297.0]', 1, '{"begun": true, "pending": "", "pending_type": "", "sheets_in_document": 1, "source": "s"}', 0);
INSERT INTO batch_document(id, batch_id, break_reason, type, state, proposed, tags, revision, trouble)
  VALUES ('x1', 'b1', 'first page', 'Letter', 'to check', 1, '[]', 0, '');
INSERT INTO arrival(id, batch_id, name, tree, sha, mime, size, received_at, origin, state, why, is_container)
  VALUES ('a1', 'b1', 's', '', 'sha', 'image/png', 3, '2026-01-01T08:00:00+00:00', 'feeder', 'taken', '', 0);
INSERT INTO page(id, batch_id, captured, position, source, source_index, sheet, side, file_sha, kind, captured_at, trouble, turn,
  disposition, document_id, name, language, text_origin, arrival, cut, stage)
  VALUES ('p1', 'b1', 0, 0, 's', 0, 1, 'front', 'sha', 'picture', '2026-01-01T08:00:00+00:00', 'It cannot be read.', 0, 'kept', 'x1', '', '',
  '', 'a1', 1, 'failed');
INSERT INTO document(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, pages,
  version, revision)
  VALUES ('d1', 1, 'Letters', 1, 'Letter', 'A gate', '2026-01-01T09:00:00+00:00', 'person-1', 'k1', 0, 1, 0);
INSERT INTO version(document_id, number, at, who, comment, type, folder_id, caption, data, tags)
  VALUES ('d1', 1, '2026-01-01', 'person-1', 'as filed', 'Letter', 1, 'A gate', '{}', '[]');
INSERT INTO rendition(document_id, version, kind, sha, state, tries, next_at, trouble)
  VALUES ('d1', 1, 'pdfa', 'sha', 'made', 0, '2026-01-01', '');
INSERT INTO document_tag(document_id, position, tag, folded) VALUES ('d1', 0, 'Äußerst dringend', 'äusserst dringend');
INSERT INTO document_value(document_id, field, position, value, folded, data)
  VALUES ('d1', 'Title', 0, 'Größe', 'grösse', '{"items": ["Größe"], "origin": "page"}');
