ALTER TABLE projects DROP COLUMN shelf;
