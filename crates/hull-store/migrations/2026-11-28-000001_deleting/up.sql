-- What is deleted can be had back for a day.
ALTER TABLE projects ADD COLUMN deleted_at timestamptz;
ALTER TABLE bodies ADD COLUMN deleted_at timestamptz;
ALTER TABLE handovers ADD COLUMN deleted_at timestamptz;
-- The name of a deleted project is free.
ALTER TABLE projects DROP CONSTRAINT projects_name_key;
CREATE UNIQUE INDEX projects_name ON projects (name) WHERE deleted_at IS NULL;
-- Chunks that nothing names are collected some time after they were last stored.
ALTER TABLE chunks ADD COLUMN used_at timestamptz NOT NULL DEFAULT now();
