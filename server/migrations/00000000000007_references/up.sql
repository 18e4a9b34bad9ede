-- What somebody notes of a shot or reference, and words that it is found by.
ALTER TABLE shots ADD COLUMN note TEXT NOT NULL DEFAULT '';
ALTER TABLE shots ADD COLUMN tags TEXT NOT NULL DEFAULT '';
-- The still that shows the same set-up in the camera's plain display profile: the shot's own reference.
ALTER TABLE shots ADD COLUMN contrast TEXT;
-- Tables that stand among the stills of a board.
CREATE TABLE board_tables (
    id TEXT PRIMARY KEY NOT NULL,
    scene_id TEXT NOT NULL REFERENCES scenes (id),
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT '',
    tags TEXT NOT NULL DEFAULT '',
    table_hash TEXT NOT NULL REFERENCES media (hash),
    from_encoding TEXT NOT NULL,
    to_encoding TEXT NOT NULL,
    deleted_at BIGINT
);
CREATE INDEX board_tables_of_scene ON board_tables (scene_id, position);
