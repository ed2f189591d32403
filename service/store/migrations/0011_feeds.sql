-- What the last reading gave that was read, so that the same bytes need not be read again.
ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS body_digest CHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS run_bytes BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS run_took_ms BIGINT NOT NULL DEFAULT 0;
-- How long a reading took, and what was odd about what it gave.
ALTER TABLE readings
  ADD COLUMN IF NOT EXISTS took_ms BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS remarks MEDIUMTEXT NOT NULL DEFAULT '';
