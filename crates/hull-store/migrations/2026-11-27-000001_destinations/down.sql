ALTER TABLE bodies DROP COLUMN destination_version;
DROP TABLE destinations;
