ALTER TABLE chunks DROP COLUMN used_at;
DELETE FROM projects WHERE deleted_at IS NOT NULL;
DROP INDEX projects_name;
ALTER TABLE projects ADD CONSTRAINT projects_name_key UNIQUE (name);
ALTER TABLE projects DROP COLUMN deleted_at;
ALTER TABLE bodies DROP COLUMN deleted_at;
ALTER TABLE handovers DROP COLUMN deleted_at;
