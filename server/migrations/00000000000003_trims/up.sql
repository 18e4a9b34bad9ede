-- What a production's cameras encode: constants of a log curve, or a technical table with what it gives.
CREATE TABLE profiles (
    id TEXT PRIMARY KEY NOT NULL,
    production_id TEXT NOT NULL REFERENCES productions (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    -- JSON; see the profile documents of the API.
    body TEXT NOT NULL,
    table_hash TEXT REFERENCES media (hash)
);

INSERT INTO profiles
SELECT lower(hex(randomblob(16))), id, json_extract(camera, '$.name'), camera, NULL
FROM productions WHERE camera <> '';

-- From here on the id of the profile that `camera` stands for, or empty.
UPDATE productions
SET camera = coalesce((SELECT id FROM profiles WHERE profiles.production_id = productions.id), '');

-- A scene of finished stills: references, which wear no look.
ALTER TABLE scenes ADD COLUMN finished BOOLEAN NOT NULL DEFAULT 0;

CREATE TABLE first_frames AS SELECT id, name, media_hash, width, height FROM shots;

CREATE TABLE new_shots (
    id TEXT PRIMARY KEY NOT NULL,
    scene_id TEXT NOT NULL REFERENCES scenes (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    -- An encoding's id, `camera`, or `profile:` and a profile's id; empty where nobody has said it yet.
    encoding TEXT NOT NULL,
    encoding_reason TEXT NOT NULL DEFAULT '',
    -- Frames a second of a sequence or clip.
    rate DOUBLE NOT NULL DEFAULT 24,
    -- Places in the order of the frames, from 0: the one shown for the shot, and the first and last that count.
    poster INTEGER NOT NULL DEFAULT 0,
    in_frame INTEGER NOT NULL DEFAULT 0,
    out_frame INTEGER,
    -- How many frames were announced; fewer are there while they come in or where that broke off.
    expected INTEGER NOT NULL DEFAULT 1,
    -- The path that balances the shot, as JSON.
    trim TEXT NOT NULL DEFAULT '{"steps":[]}',
    trim_revision INTEGER NOT NULL DEFAULT 1
);

INSERT INTO new_shots (id, scene_id, position, name, encoding, encoding_reason)
SELECT id, scene_id, position, name, encoding, encoding_reason FROM shots;

DROP TABLE shots;
ALTER TABLE new_shots RENAME TO shots;

CREATE TABLE frames (
    shot_id TEXT NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
    -- The number in the file's name; 0 for a still.
    number INTEGER NOT NULL,
    name TEXT NOT NULL,
    media_hash TEXT NOT NULL REFERENCES media (hash),
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    bytes BIGINT NOT NULL,
    -- Values that were no finite numbers.
    healed BIGINT NOT NULL,
    PRIMARY KEY (shot_id, number)
);

INSERT INTO frames
SELECT f.id, 0, f.name, f.media_hash, f.width, f.height, coalesce(m.bytes, 0), 0
FROM first_frames f LEFT JOIN media m ON m.hash = f.media_hash;

DROP TABLE first_frames;
