-- What a production hands to whom; the plan's document as JSON.
CREATE TABLE plans (
    id TEXT PRIMARY KEY NOT NULL,
    production_id TEXT NOT NULL REFERENCES productions (id) ON DELETE CASCADE,
    document TEXT NOT NULL,
    -- Rises with every accepted change; a save that names an older one is refused.
    revision INTEGER NOT NULL,
    made_at BIGINT NOT NULL,
    deleted_at BIGINT
);

-- A package of a version of a look. The plan is as it was when it was asked for.
CREATE TABLE packages (
    id TEXT PRIMARY KEY NOT NULL,
    look_id TEXT NOT NULL REFERENCES looks (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,
    plan TEXT NOT NULL,
    -- queued, running, done, failed or cancelled
    state TEXT NOT NULL,
    failure TEXT NOT NULL,
    -- The package's manifest as JSON, once done.
    manifest TEXT NOT NULL,
    archive_hash TEXT REFERENCES media (hash),
    file_name TEXT NOT NULL,
    made_at BIGINT NOT NULL,
    deleted_at BIGINT
);
