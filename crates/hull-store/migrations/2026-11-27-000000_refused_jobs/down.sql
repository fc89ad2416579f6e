UPDATE jobs SET state = 'failed' WHERE state = 'refused';
ALTER TABLE jobs DROP CONSTRAINT jobs_state_check;
ALTER TABLE jobs ADD CONSTRAINT jobs_state_check
    CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled'));
