-- One project is the shelf: its bodies can be put into every other one.
ALTER TABLE projects ADD COLUMN shelf boolean NOT NULL DEFAULT false;
