CREATE TABLE productions (
    id TEXT PRIMARY KEY NOT NULL,
    name TEXT NOT NULL,
    -- The camera profile as JSON, or empty where none is known.
    camera TEXT NOT NULL
);

CREATE TABLE scenes (
    id TEXT PRIMARY KEY NOT NULL,
    production_id TEXT NOT NULL REFERENCES productions (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name TEXT NOT NULL
);

-- A file in the media folder, by its hash; never altered.
CREATE TABLE media (
    hash TEXT PRIMARY KEY NOT NULL,
    kind TEXT NOT NULL,
    bytes BIGINT NOT NULL
);

CREATE TABLE shots (
    id TEXT PRIMARY KEY NOT NULL,
    scene_id TEXT NOT NULL REFERENCES scenes (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    -- An encoding's id; `camera` is the production's camera profile.
    encoding TEXT NOT NULL,
    media_hash TEXT NOT NULL REFERENCES media (hash),
    width INTEGER NOT NULL,
    height INTEGER NOT NULL
);

CREATE TABLE looks (
    id TEXT PRIMARY KEY NOT NULL,
    production_id TEXT NOT NULL REFERENCES productions (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    document TEXT NOT NULL,
    -- Rises with every accepted change; a save that names an older one is refused.
    revision INTEGER NOT NULL
);

CREATE TABLE look_versions (
    look_id TEXT NOT NULL REFERENCES looks (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    name TEXT NOT NULL,
    document TEXT NOT NULL,
    saved_at BIGINT NOT NULL,
    PRIMARY KEY (look_id, number)
);

CREATE TABLE handoffs (
    id TEXT PRIMARY KEY NOT NULL,
    look_id TEXT NOT NULL REFERENCES looks (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,
    from_encoding TEXT NOT NULL,
    to_encoding TEXT NOT NULL,
    size INTEGER NOT NULL,
    -- running, done, failed or cancelled
    state TEXT NOT NULL,
    failure TEXT NOT NULL,
    report TEXT NOT NULL,
    table_hash TEXT REFERENCES media (hash),
    file_name TEXT NOT NULL,
    made_at BIGINT NOT NULL
);
