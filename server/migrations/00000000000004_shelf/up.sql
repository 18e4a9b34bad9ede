-- What a designer keeps for later: whole looks, and single steps or groups of steps.
CREATE TABLE kept (
    id TEXT PRIMARY KEY NOT NULL,
    -- `look` or `steps`.
    kind TEXT NOT NULL,
    name TEXT NOT NULL,
    -- JSON: a look document; its path holds the steps.
    document TEXT NOT NULL,
    kept_at BIGINT NOT NULL
);
