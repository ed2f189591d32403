-- What the last reading gave that was read, so that the same bytes need not be read again.
ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS body_digest CHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS run_bytes BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS run_took_ms BIGINT NOT NULL DEFAULT 0;
-- How long a reading took, and what was odd about what it gave.
ALTER TABLE readings
  ADD COLUMN IF NOT EXISTS took_ms BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS remarks MEDIUMTEXT NOT NULL DEFAULT '';
-- What is said of all that a feed brings in, and how many units each of its entries takes.
ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS categories VARCHAR(1100) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS class VARCHAR(16) NOT NULL DEFAULT '';
ALTER TABLE links ADD COLUMN IF NOT EXISTS counting VARCHAR(400) NOT NULL DEFAULT '';
ALTER TABLE bookings
  ADD COLUMN IF NOT EXISTS categories VARCHAR(400) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS class VARCHAR(16) NOT NULL DEFAULT '';
-- Calendars in groups.
CREATE TABLE IF NOT EXISTS calendar_groups (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  position INT NOT NULL,
  revision BIGINT NOT NULL DEFAULT 1,
  UNIQUE KEY calendar_groups_name (name)
);
ALTER TABLE calendars ADD COLUMN IF NOT EXISTS group_id BIGINT NULL;
