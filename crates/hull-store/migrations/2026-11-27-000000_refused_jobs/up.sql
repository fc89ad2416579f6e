-- A refusal (what people can mend, said in a sentence) and a failure (what they cannot) are told apart.
ALTER TABLE jobs DROP CONSTRAINT jobs_state_check;
ALTER TABLE jobs ADD CONSTRAINT jobs_state_check
    CHECK (state IN ('queued', 'running', 'done', 'refused', 'failed', 'cancelled'));
