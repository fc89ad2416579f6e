-- When a worker took the job that is at work: elapsed and left are told from it.
ALTER TABLE jobs ADD COLUMN begun_at timestamptz;
