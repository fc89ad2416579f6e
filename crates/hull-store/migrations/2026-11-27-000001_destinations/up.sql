-- Destinations as people edit them. A version never changes: sheets are made with it.
CREATE TABLE destinations (
    name text NOT NULL,
    version int NOT NULL CHECK (version > 0),
    -- Whether it ships with the program; then it cannot be edited, only copied.
    shipped boolean NOT NULL DEFAULT false,
    content jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (name, version)
);
-- The version that a body's sheet is made with.
ALTER TABLE bodies ADD COLUMN destination_version int NOT NULL DEFAULT 1;
