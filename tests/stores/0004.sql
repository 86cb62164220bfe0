CREATE TABLE access_list (
    id VARCHAR NOT NULL,
    entries JSON NOT NULL,
    PRIMARY KEY (id)
);
CREATE TABLE alembic_version (
    version_num VARCHAR(32) NOT NULL,
    PRIMARY KEY (version_num)
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
    is_container BOOLEAN NOT NULL, name_bytes BLOB,
    PRIMARY KEY (id),
    FOREIGN KEY(batch_id) REFERENCES batch (id),
    FOREIGN KEY(parent_id) REFERENCES arrival (id)
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
    revision INTEGER NOT NULL,
    trouble TEXT NOT NULL,
    type_because TEXT,
    type_rival VARCHAR,
    kept_to TEXT,
    PRIMARY KEY (id),
    FOREIGN KEY(batch_id) REFERENCES batch (id)
);
CREATE TABLE batch_share (
    batch_id VARCHAR NOT NULL,
    kind VARCHAR NOT NULL,
    grantee VARCHAR NOT NULL,
    PRIMARY KEY (batch_id, kind, grantee),
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
CREATE TABLE document_tag (
    document_id VARCHAR NOT NULL,
    position INTEGER NOT NULL,
    tag VARCHAR NOT NULL,
    folded VARCHAR NOT NULL,
    PRIMARY KEY (document_id, position),
    FOREIGN KEY(document_id) REFERENCES document (id)
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
CREATE TABLE entry_history (
    seq INTEGER NOT NULL,
    register VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    who VARCHAR NOT NULL,
    removed JSON NOT NULL,
    changed JSON NOT NULL,
    added JSON NOT NULL,
    part_of INTEGER,
    PRIMARY KEY (seq)
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
CREATE TABLE file_place (
    sha VARCHAR NOT NULL,
    area VARCHAR NOT NULL,
    PRIMARY KEY (sha, area)
);
CREATE TABLE file_use (
    sha VARCHAR NOT NULL,
    kind VARCHAR NOT NULL,
    ref VARCHAR NOT NULL,
    PRIMARY KEY (sha, kind, ref)
) WITHOUT ROWID;
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
    follows JSON,
    PRIMARY KEY (id),
    CONSTRAINT folder_became_another CHECK (became IS NULL OR became != id),
    FOREIGN KEY(parent_id) REFERENCES folder (id),
    FOREIGN KEY(became) REFERENCES folder (id),
    FOREIGN KEY(own_access_id) REFERENCES access_list (id),
    FOREIGN KEY(access_id) REFERENCES access_list (id)
);
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
CREATE TABLE folder_name (
    parent_id INTEGER NOT NULL,
    value VARCHAR NOT NULL,
    folder_id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    PRIMARY KEY (parent_id, value),
    FOREIGN KEY(parent_id) REFERENCES folder (id),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
);
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
CREATE TABLE outcome (
    id INTEGER NOT NULL,
    document VARCHAR NOT NULL,
    field VARCHAR NOT NULL,
    score FLOAT NOT NULL,
    is_right BOOLEAN NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (id)
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
CREATE TABLE proposal (
    id INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    part VARCHAR NOT NULL,
    "row" JSON NOT NULL,
    who VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (id)
);
CREATE TABLE register_entry (
    register VARCHAR NOT NULL,
    "key" VARCHAR NOT NULL,
    position INTEGER NOT NULL,
    "row" JSON NOT NULL,
    PRIMARY KEY (register, "key")
);
CREATE TABLE rendition (
    document_id VARCHAR NOT NULL,
    version INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    sha VARCHAR,
    PRIMARY KEY (document_id, version, kind),
    FOREIGN KEY(document_id) REFERENCES document (id)
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
CREATE VIRTUAL TABLE search_text USING fts5(caption, vals, body, content = '', tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');
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
    tags JSON NOT NULL, path VARCHAR,
    PRIMARY KEY (document_id, number),
    FOREIGN KEY(document_id) REFERENCES document (id),
    FOREIGN KEY(folder_id) REFERENCES folder (id)
);
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
CREATE TABLE work (
    kind VARCHAR NOT NULL,
    ref VARCHAR NOT NULL,
    holder VARCHAR NOT NULL,
    token VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    until VARCHAR NOT NULL,
    tries INTEGER NOT NULL,
    trouble TEXT NOT NULL,
    data JSON,
    PRIMARY KEY (kind, ref)
) WITHOUT ROWID;
CREATE INDEX arrival_by_batch ON arrival (batch_id, is_container, state);
CREATE INDEX arrival_without_batch ON arrival (received_at) WHERE batch_id IS NULL;
CREATE INDEX audit_by_subject ON audit (subject, seq);
CREATE INDEX batch_open ON batch (created_at) WHERE closed_at IS NULL;
CREATE INDEX batch_thrown ON batch (closed_at) WHERE thrown_by IS NOT NULL;
CREATE INDEX document_by_batch ON batch_document (batch_id);
CREATE INDEX document_by_batch_filed ON document (batch_id);
CREATE INDEX document_by_folder ON document (folder_id, number) WHERE removed_at IS NULL;
CREATE INDEX document_by_time ON document (filed_at, number);
CREATE INDEX document_by_type ON document (type, number);
CREATE INDEX document_tag_by_folded ON document_tag (folded, document_id);
CREATE INDEX document_there ON document (cabinet, number, folder_id) WHERE removed_at IS NULL;
CREATE INDEX entry_history_by_register ON entry_history (register, seq);
CREATE INDEX example_by_document ON example (document);
CREATE INDEX example_by_type ON example (type, page);
CREATE INDEX file_place_by_area ON file_place (area);
CREATE INDEX file_use_in_passing ON file_use (ref) WHERE kind = 'sending';
CREATE INDEX folder_by_access ON folder (access_id) WHERE access_id IS NOT NULL;
CREATE INDEX folder_by_parent ON folder (parent_id, value);
CREATE UNIQUE INDEX folder_by_path ON folder (cabinet, path) WHERE became IS NULL;
CREATE INDEX folder_by_words ON folder (cabinet, folded);
CREATE INDEX folder_level_by_folder ON folder_level (folder_id);
CREATE INDEX folder_level_by_value ON folder_level (cabinet, field, value, folder_id);
CREATE INDEX folder_name_of ON folder_name (folder_id);
CREATE INDEX folder_that_became ON folder (became) WHERE became IS NOT NULL;
CREATE INDEX folder_that_follows ON folder (cabinet) WHERE follows IS NOT NULL;
CREATE INDEX history_by_part ON setup_history (kind, id, seq);
CREATE INDEX outcome_by_document ON outcome (document);
CREATE INDEX page_by_batch ON page (batch_id, position);
CREATE INDEX page_by_document ON page (document_id);
CREATE INDEX page_by_text ON page (text_id) WHERE text_id IS NOT NULL;
CREATE INDEX page_by_time ON page (captured_at);
CREATE INDEX page_in_work ON page (batch_id, stage) WHERE stage IN ('captured', 'looked at', 'placed');
CREATE INDEX page_loose ON page (batch_id, disposition) WHERE document_id IS NULL;
CREATE INDEX record_by_batch ON filing_record (batch_id);
CREATE INDEX record_by_time ON filing_record (at);
CREATE INDEX step_by_batch ON step (batch_id, id);
CREATE INDEX value_by_field ON document_value (field, folded, document_id);
CREATE INDEX value_by_number ON document_value (field, number, document_id);
CREATE INDEX version_by_folder ON version (folder_id);
CREATE INDEX version_page_by_page ON version_page (page_id, document_id);
CREATE INDEX version_page_by_text ON version_page (text_id);
CREATE INDEX work_by_time ON work (kind, until);
CREATE INDEX work_in_hand ON work (token) WHERE token != '';
CREATE INDEX work_troubled ON work (kind, until) WHERE trouble != '';
INSERT INTO "access_list"(id, entries) VALUES ('l1', '[["person", "person-1", ["look"]]]');
INSERT INTO "alembic_version"(version_num) VALUES ('0004');
INSERT INTO "arrival"(id, batch_id, parent_id, name, tree, sha, mime, size, received_at, origin, brought, state, why, is_container, name_bytes) VALUES ('a1', 'b1', NULL, 's', '', 'sha', 'image/png', 3, '2026-01-01T08:00:00+00:00', 'feeder', NULL, 'taken', '', 0, NULL);
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (1, '2026-12-01T13:29:24.103+00:00', '', 'set-up changed', 'Kept store', '{"who":""}', 'd921199ca9f9e0a3578c52d88caafa980115cfc1af2f4366d596cce1c01df648', 'c4b43b50bc78007c808c684a419bdb5cbec139911340b4549f2d2b4adf1924ad');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (2, '2026-12-01T13:29:24.163+00:00', 'person-1', 'filed', '1ngxjxmrc7mqsxtb', '{"who":"Orla Penstock"}', 'd19df3e8e723e6249e234721d760390d1dcf17b8509119e79779186e24042a42', '11c12f44e842e612bb48c17fab307ea47acfedc3442273c9764ed67f68a5ee0d');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (3, '2026-12-01T13:29:24.189+00:00', 'person-1', 'filed', '1ngxjxmbpm0wtts9', '{"who":"Orla Penstock"}', 'c0b3a91404e57e7e9e7b82fabcc18ced8dd86d8175cdd451f2527586e0a3eb17', 'e147c7bf9b67ecfd5dc868a63a1754702835e3daed7e80cb50507a69a2ae799b');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (4, '2026-12-01T13:29:24.215+00:00', 'person-1', 'folder renamed', 'folder 3', '{"who":"Orla Penstock"}', '9e14ec34c0b84011cfa90f0149f649022409133a09ffc7f1d825f5628a20dba8', '6a36e9bafd00951abbc9eb3201a2e5c084090360c1715aab86582027d3026469');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (5, '2026-12-01T13:29:24.232+00:00', 'person-1', 'revised', '1ngxjxmrc7mqsxtb', '{"who":"Orla Penstock"}', '4f8993c569b32e5c4bd2abc8fa671f0876f9a25403b2bb282f6d199434d00cf7', 'd6c53eb9a48f196b3a2632ef78f2adead1f7bb7f0f341580ab9ddab7c9e70b89');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (6, '2026-12-01T13:29:24.269+00:00', 'person-1', 'revised', '1ngxjxmbpm0wtts9', '{"who":"Orla Penstock"}', '5e9cf5cb8ad4fa48be9c475ee3ea0420ae8697df1f7dd5338b3a0656b733f8bb', '518f0f39944f34ef8e574b2d6cc5f4b54f237d6bc8cce5f3162cc92ba7c48008');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (7, '2026-12-01T13:29:24.294+00:00', 'person-1', 'folder renamed', 'folder 3', '{"who":"Orla Penstock"}', 'ae7d8af43c95c3af0cb020844e80b5cd2da807a894e2f12fc84e5244f183011b', 'e5cf32eec9a9767d9210bbcdaaaa29a3bc04c6932dd9625ced184d76b04bd372');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (8, '2026-12-01T13:29:24.300+00:00', 'person-1', 'register entries added', 'keepers', '{"who":"Orla Penstock"}', '900584dfd1a11046ee4e76f1f9642ef016bb8986f83ca0b4dcdd3a3813f0e31d', 'e701d1a6c3608700c7175d2c004247cad51c5704bcb33638a8fb1ee699e7a450');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (9, '2026-12-01T13:29:24.302+00:00', '', 'register replaced', 'keepers', '{"who":""}', 'f3d54b466e6b3df59b4c05f884d579d78e2da9be4d38a0b5f42834a96d1457f2', '391f8f8a1895010e20f3ba2217e0d359c49420e00335e75ed0db41fcf177a944');
INSERT INTO "audit"(seq, at, who, what, subject, names, digest, hash) VALUES (10, '2026-12-01T13:29:24.322+00:00', 'person-1', 'folder renamed', 'folder 3', '{"who":"Orla Penstock"}', 'abb7191b60179349922525fa5e54cc2b170bedef5f432bfab9f2b63461519f0d', '75c377239b03cb4f1f594ce61a8e2de9958cf3988b415317b6ba3c9baf51d938');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (1, 'fd4eb95c4c993ada6a4ad5f899058eb5', '{"parts":[{"id":"Yard","name":"Yard","part":"cabinets","revision":1,"what":"added"},{"id":"Slip","name":"Slip","part":"document_types","revision":1,"what":"added"},{"id":"keepers","name":"keepers","part":"registers","revision":1,"what":"added"},{"id":"reader","name":"reader","part":"roles","revision":1,"what":"added"},{"id":"operator","name":"operator","part":"roles","revision":1,"what":"added"},{"id":"supervisor","name":"supervisor","part":"roles","revision":1,"what":"added"},{"id":"administrator","name":"administrator","part":"roles","revision":1,"what":"added"}]}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (2, '61869ad60d8fe8900a0f9c96b65db51a', '{"cabinet":"Yard","caption":"Alder Pike","folder":["Alder","Pike"],"ids":{"cabinet":"Yard","type":"Slip"},"pages":[],"type":"Slip","values":{"Keeper":["Pike"],"Reach":["Alder"]}}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (3, '8fc36ee49a28a0a112120c59efea7312', '{"cabinet":"Yard","caption":"Birch Pike","folder":["Birch","Pike"],"ids":{"cabinet":"Yard","type":"Slip"},"pages":[],"type":"Slip","values":{"Keeper":["Pike"],"Reach":["Birch"]}}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (4, 'c63221ca218ee289aadd66b876df27b5', '{"after":["Cress"],"before":["Alder"],"cabinet":"Yard"}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (5, '54bb599b3de7d1fe8d9c3dcdc4d2ee7f', '{"caption":["Alder Pike","Cress Pike"],"values":{"Reach":[["Alder"],["Cress"]]}}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (6, 'f0d60319fa7f03cd30350d03fba97cab', '{"caption":["Birch Pike","Cress Pike"],"folder":[["Birch","Pike"],["Cress","Pike"]],"values":{"Reach":[["Birch"],["Cress"]]}}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (7, '179f515ea715065ebe3bdd24700d9e60', '{"after":["Cress"],"before":["Birch"],"cabinet":"Yard"}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (8, '5846686325b6c083774bc89cf2d64b09', '{"entries":2}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (9, 'd24caed84b50fc4be4c4bdd7868b364e', '{"added":[],"changed":[],"removed":["Rudd"]}');
INSERT INTO "audit_detail"(seq, salt, data) VALUES (10, '2724258ca0a0acf6ba0e7d7df72b70dd', '{"after":["Dock"],"before":["Cress"],"cabinet":"Yard"}');
INSERT INTO "batch"(id, routine, origin, owner, created_at, captured_at, closed_at, thrown_by, two_sided, paper_mm, next_captured, cut, revision) VALUES ('b1', 'Post', 'feeder', 'person-1', '2026-01-01T08:00:00+00:00', '2026-01-01T08:01:00+00:00', NULL, NULL, 0, '[210.0, 297.0]', 1, '{"begun": true, "pending": "", "pending_type": "", "sheets_in_document": 1, "source": "s"}', 0);
INSERT INTO "batch_document"(id, batch_id, break_reason, type, type_confidence, type_origin, state, parked, filed_id, proposed, tags, revision, trouble, type_because, type_rival, kept_to) VALUES ('x1', 'b1', 'first page', 'Letter', NULL, NULL, 'to check', NULL, NULL, 1, '[]', 0, '', NULL, NULL, NULL);
INSERT INTO "document"(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id, removed_at, received_at, access_id, pages, version, revision, removed_as, removed_by, removed_why) VALUES ('d1', 1, 'Letters', 1, 'Letter', 'A gate', '2026-01-01T09:00:00+00:00', 'person-1', 'k1', NULL, NULL, NULL, NULL, 0, 1, 0, NULL, NULL, NULL);
INSERT INTO "document"(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id, removed_at, received_at, access_id, pages, version, revision, removed_as, removed_by, removed_why) VALUES ('1ngxjxmrc7mqsxtb', 2, 'Yard', 4, 'Slip', 'Cress Pike', '2026-12-01T13:29:24.163+00:00', 'person-1', 'd2', NULL, NULL, NULL, NULL, 0, 2, 1, NULL, NULL, NULL);
INSERT INTO "document"(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id, removed_at, received_at, access_id, pages, version, revision, removed_as, removed_by, removed_why) VALUES ('1ngxjxmbpm0wtts9', 3, 'Yard', 4, 'Slip', 'Cress Pike', '2026-12-01T13:29:24.189+00:00', 'person-1', 'd3', NULL, NULL, NULL, NULL, 0, 2, 1, NULL, NULL, NULL);
INSERT INTO "document_tag"(document_id, position, tag, folded) VALUES ('d1', 0, 'Äußerst dringend', 'äusserst dringend');
INSERT INTO "document_value"(document_id, field, position, value, folded, number, data) VALUES ('d1', 'Title', 0, 'Größe', 'grösse', NULL, '{"items": ["Größe"], "origin": "page"}');
INSERT INTO "document_value"(document_id, field, position, value, folded, number, data) VALUES ('1ngxjxmrc7mqsxtb', 'Keeper', 0, 'Pike', 'pike', NULL, '{"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}');
INSERT INTO "document_value"(document_id, field, position, value, folded, number, data) VALUES ('1ngxjxmrc7mqsxtb', 'Reach', 0, 'Cress', 'cress', NULL, '{"items": ["Cress"], "confidence": 1.0, "origin": "folder", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "person-1", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}');
INSERT INTO "document_value"(document_id, field, position, value, folded, number, data) VALUES ('1ngxjxmbpm0wtts9', 'Keeper', 0, 'Pike', 'pike', NULL, '{"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}');
INSERT INTO "document_value"(document_id, field, position, value, folded, number, data) VALUES ('1ngxjxmbpm0wtts9', 'Reach', 0, 'Cress', 'cress', NULL, '{"items": ["Cress"], "confidence": 1.0, "origin": "folder", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "person-1", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}');
INSERT INTO "entry_history"(seq, register, at, who, removed, changed, added, part_of) VALUES (1, 'keepers', '2026-12-01T13:29:24.302+00:00', '', '[["Rudd", 2, {"Keeper": "Rudd", "Place": "Lock end"}]]', '[]', '[]', NULL);
INSERT INTO "file_use"(sha, kind, ref) VALUES ('sha', 'document', 'd1');
INSERT INTO "file_use"(sha, kind, ref) VALUES ('sha', 'page', 'p1');
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (1, 'Letters', NULL, -1, '', '', '', '', 1, 1, NULL, 0, NULL, 'l1', 'l1', NULL);
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (2, 'Yard', NULL, -1, '', '', '', '', 0, 0, NULL, 0, NULL, NULL, NULL, NULL);
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (3, 'Yard', 2, 0, 'Reach', 'Dock', 'Dock', 'dock', 0, 0, NULL, 0, NULL, NULL, NULL, '{"who": "person-1", "was": {"Reach": ["Cress"]}}');
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (4, 'Yard', 3, 1, 'Keeper', 'Pike', 'DockPike', 'dock pike', 2, 3, NULL, 0, NULL, NULL, NULL, NULL);
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (5, 'Yard', 2, 0, 'Reach', 'Birch', 'Birch', 'birch', 0, 0, NULL, 0, 3, NULL, NULL, NULL);
INSERT INTO "folder"(id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, own_access_id, access_id, follows) VALUES (6, 'Yard', 5, 1, 'Keeper', 'Pike', 'BirchPike', 'birch pike', 0, 0, NULL, 0, 4, NULL, NULL, NULL);
INSERT INTO "folder_level"(cabinet, field, sort_key, value, folder_id) VALUES ('Yard', 'Keeper', X'483A3E32010801DC07', 'Pike', 4);
INSERT INTO "folder_level"(cabinet, field, sort_key, value, folder_id) VALUES ('Yard', 'Reach', X'30462E3E010801DC07', 'Dock', 3);
INSERT INTO "folder_level"(cabinet, field, sort_key, value, folder_id) VALUES ('Yard', 'Reach', X'30462E3E010801DC07', 'Dock', 4);
INSERT INTO "folder_name"(parent_id, value, folder_id, position) VALUES (2, 'Alder', 3, 1);
INSERT INTO "folder_name"(parent_id, value, folder_id, position) VALUES (5, 'Pike', 4, 1);
INSERT INTO "folder_name"(parent_id, value, folder_id, position) VALUES (2, 'Birch', 3, 2);
INSERT INTO "folder_name"(parent_id, value, folder_id, position) VALUES (2, 'Cress', 3, 3);
INSERT INTO "page"(id, batch_id, captured, position, source, source_index, sheet, side, file_sha, kind, captured_at, facts, trouble, turn, disposition, reason, note, document_id, text_id, text_rotation, hand_break, hand_kept, name, language, text_origin, quality, arrival, cut, stage) VALUES ('p1', 'b1', 0, 0, 's', 0, 1, 'front', 'sha', 'picture', '2026-01-01T08:00:00+00:00', NULL, 'It cannot be read.', 0, 'kept', NULL, NULL, 'x1', NULL, NULL, NULL, NULL, '', '', '', NULL, 'a1', 1, 'failed');
INSERT INTO "register_entry"(register, key, position, row) VALUES ('keepers', 'Pike', 1, '{"Keeper": "Pike", "Place": "Weirside"}');
INSERT INTO "rendition"(document_id, version, kind, sha) VALUES ('1ngxjxmbpm0wtts9', 1, 'pdfa', NULL);
INSERT INTO "rendition"(document_id, version, kind, sha) VALUES ('1ngxjxmbpm0wtts9', 2, 'pdfa', NULL);
INSERT INTO "rendition"(document_id, version, kind, sha) VALUES ('1ngxjxmrc7mqsxtb', 1, 'pdfa', NULL);
INSERT INTO "rendition"(document_id, version, kind, sha) VALUES ('1ngxjxmrc7mqsxtb', 2, 'pdfa', NULL);
INSERT INTO "rendition"(document_id, version, kind, sha) VALUES ('d1', 1, 'pdfa', 'sha');
INSERT INTO "search_row"(id, kind, ref, caption, vals, texts, type, cabinet, month) VALUES (1, 'document', '1ngxjxmrc7mqsxtb', 'Cress Pike', 'Pike Cress', '[]', 'Slip', 'Yard', '2026-12');
INSERT INTO "search_row"(id, kind, ref, caption, vals, texts, type, cabinet, month) VALUES (2, 'document', '1ngxjxmbpm0wtts9', 'Cress Pike', 'Pike Cress', '[]', 'Slip', 'Yard', '2026-12');
INSERT INTO "setting"(name, value) VALUES ('months of', '"UTC"');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (1, 'cabinets', 'Yard', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "Yard", "name": "Yard", "folder_fields": [{"id": "Reach", "name": "Reach"}, {"id": "Keeper", "name": "Keeper"}]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (2, 'document_types', 'Slip', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "Slip", "name": "Slip", "cabinet": "Yard", "caption": "{Reach} {Keeper}", "folder": {"Reach": "Reach", "Keeper": "Keeper"}, "fields": [{"id": "Reach", "name": "Reach"}, {"id": "Keeper", "name": "Keeper"}]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (3, 'registers', 'keepers', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "keepers", "name": "keepers", "key": "Keeper", "columns": ["Keeper", "Place"]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (4, 'roles', 'reader', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "reader", "name": "reader", "rights": ["look"]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (5, 'roles', 'operator', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "operator", "name": "operator", "rights": ["look", "bring in", "index", "file", "take back", "correct", "send", "mark", "follow"]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (6, 'roles', 'supervisor', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "supervisor", "name": "supervisor", "rights": ["look", "bring in", "index", "file", "take back", "correct", "send", "mark", "follow", "move", "delete", "hold and retain", "black out", "approve", "prepare", "oversee", "add register entries"]}');
INSERT INTO "setup_history"(seq, kind, id, revision, at, who, data) VALUES (7, 'roles', 'administrator', 1, '2026-12-01T13:29:24.103+00:00', '', '{"id": "administrator", "name": "administrator", "rights": ["look", "bring in", "index", "file", "take back", "correct", "move", "delete", "empty the trash", "hold and retain", "send", "mark", "black out", "see under black-outs", "approve", "give rights", "prepare", "oversee", "add register entries", "follow"]}');
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('general', '', 0, 1, '{"repository": "Kept store"}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('cabinets', 'Letters', 0, 1, '{"id": "Letters", "name": "Letters"}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('document_types', 'Letter', 0, 2, '{"id": "Letter", "name": "Note", "cabinet": "Letters", "fields": [{"id": "Title", "name": "Title"}]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('people', 'person-1', 0, 1, '{"id": "person-1", "name": "Orla Penstock", "roles": ["administrator"]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('cabinets', 'Yard', 1, 1, '{"id": "Yard", "name": "Yard", "folder_fields": [{"id": "Reach", "name": "Reach"}, {"id": "Keeper", "name": "Keeper"}]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('document_types', 'Slip', 1, 1, '{"id": "Slip", "name": "Slip", "cabinet": "Yard", "caption": "{Reach} {Keeper}", "folder": {"Reach": "Reach", "Keeper": "Keeper"}, "fields": [{"id": "Reach", "name": "Reach"}, {"id": "Keeper", "name": "Keeper"}]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('registers', 'keepers', 0, 1, '{"id": "keepers", "name": "keepers", "key": "Keeper", "columns": ["Keeper", "Place"]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('roles', 'reader', 0, 1, '{"id": "reader", "name": "reader", "rights": ["look"]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('roles', 'operator', 1, 1, '{"id": "operator", "name": "operator", "rights": ["look", "bring in", "index", "file", "take back", "correct", "send", "mark", "follow"]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('roles', 'supervisor', 2, 1, '{"id": "supervisor", "name": "supervisor", "rights": ["look", "bring in", "index", "file", "take back", "correct", "send", "mark", "follow", "move", "delete", "hold and retain", "black out", "approve", "prepare", "oversee", "add register entries"]}', 0);
INSERT INTO "setup_part"(kind, id, position, revision, data, is_dropped) VALUES ('roles', 'administrator', 3, 1, '{"id": "administrator", "name": "administrator", "rights": ["look", "bring in", "index", "file", "take back", "correct", "move", "delete", "empty the trash", "hold and retain", "send", "mark", "black out", "see under black-outs", "approve", "give rights", "prepare", "oversee", "add register entries", "follow"]}', 0);
INSERT INTO "store_format"(stamp) VALUES (7);
INSERT INTO "version"(document_id, number, at, who, comment, type, folder_id, caption, data, tags, path) VALUES ('d1', 1, '2026-01-01', 'person-1', 'as filed', 'Letter', 1, 'A gate', '{}', '[]', '');
INSERT INTO "version"(document_id, number, at, who, comment, type, folder_id, caption, data, tags, path) VALUES ('1ngxjxmrc7mqsxtb', 1, '2026-12-01T13:29:24.163+00:00', 'person-1', '{"code": "version.as-filed", "params": {}}', 'Slip', 4, 'Alder Pike', '{"Reach": {"items": ["Alder"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}, "Keeper": {"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}}', '[]', 'AlderPike');
INSERT INTO "version"(document_id, number, at, who, comment, type, folder_id, caption, data, tags, path) VALUES ('1ngxjxmbpm0wtts9', 1, '2026-12-01T13:29:24.189+00:00', 'person-1', '{"code": "version.as-filed", "params": {}}', 'Slip', 6, 'Birch Pike', '{"Reach": {"items": ["Birch"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}, "Keeper": {"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}}', '[]', 'BirchPike');
INSERT INTO "version"(document_id, number, at, who, comment, type, folder_id, caption, data, tags, path) VALUES ('1ngxjxmrc7mqsxtb', 2, '2026-12-01T13:29:24.232+00:00', 'person-1', '{"code": "folders.renamed", "params": {"before": "Alder", "after": "Cress"}}', 'Slip', 4, 'Cress Pike', '{"Keeper": {"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}, "Reach": {"items": ["Cress"], "confidence": 1.0, "origin": "folder", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "person-1", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}}', '[]', 'CressPike');
INSERT INTO "version"(document_id, number, at, who, comment, type, folder_id, caption, data, tags, path) VALUES ('1ngxjxmbpm0wtts9', 2, '2026-12-01T13:29:24.269+00:00', 'person-1', '{"code": "folders.renamed", "params": {"before": "Birch", "after": "Cress"}}', 'Slip', 4, 'Cress Pike', '{"Keeper": {"items": ["Pike"], "confidence": 1.0, "origin": "page", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}, "Reach": {"items": ["Cress"], "confidence": 1.0, "origin": "folder", "sure": true, "page": null, "box": null, "as_read": "", "problem": "", "confirmed_by": "person-1", "confirmed_at": "", "given_by": "", "alternatives": [], "guess": "", "guess_score": 0.0, "note": "", "legible": 1.0, "read_twice": false}}', '[]', 'CressPike');
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('copy', 'd1', '', '', '2026-02-01T00:00:00.000+00:00', '2026-02-01T00:00:00.000+00:00', 3, 'It is away.', '{"who":"person-1","copies":{"folder":"/out"}}');
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('erase', 'beef', '', '', '2026-01-02T00:00:00.000+00:00', '2026-01-02T00:00:00.000+00:00', 0, '', '{"since":"2026-01-02T00:00:00.000+00:00"}');
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('rendition', '1ngxjxmbpm0wtts9/1', '', '', '2026-12-01T13:29:24.189+00:00', '2026-12-01T13:29:24.189+00:00', 0, '', NULL);
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('rendition', '1ngxjxmbpm0wtts9/2', '', '', '2026-12-01T13:29:24.269+00:00', '2026-12-01T13:29:24.269+00:00', 0, '', NULL);
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('rendition', '1ngxjxmrc7mqsxtb/1', '', '', '2026-12-01T13:29:24.163+00:00', '2026-12-01T13:29:24.163+00:00', 0, '', NULL);
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('rendition', '1ngxjxmrc7mqsxtb/2', '', '', '2026-12-01T13:29:24.232+00:00', '2026-12-01T13:29:24.232+00:00', 0, '', NULL);
INSERT INTO "work"(kind, ref, holder, token, at, until, tries, trouble, data) VALUES ('source', 'keepers', '', '', '2026-01-04T00:00:00.000+00:00', '2026-01-04T00:00:00.000+00:00', 0, 'No server.', '{"read_at": "2026-01-03"}');
INSERT INTO search_text(rowid, caption, vals, body) SELECT id, caption, vals, '' FROM search_row;
CREATE TABLE draft (
    person VARCHAR NOT NULL,
    place VARCHAR NOT NULL,
    subject VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    text VARCHAR NOT NULL,
    stood VARCHAR NOT NULL,
    seen INTEGER NOT NULL,
    told VARCHAR NOT NULL,
    within VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    PRIMARY KEY (person, place, subject, name)
) WITHOUT ROWID;
INSERT INTO draft VALUES ('person-1', 'documents', 'd1', 'Title', 'a word typed', 'GRÖSSE', 0, 'a caption', 'Letters', '2026-01-05T00:00:00.000+00:00');
