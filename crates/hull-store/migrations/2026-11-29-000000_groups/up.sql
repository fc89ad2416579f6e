-- Bodies of a project stand in groups under a name, or in none; a body that is hidden is listed only when asked for.
ALTER TABLE bodies ADD COLUMN grouped text NOT NULL DEFAULT '';
ALTER TABLE bodies ADD COLUMN hidden boolean NOT NULL DEFAULT false;
