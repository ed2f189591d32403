CREATE TABLE changes (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  topic VARCHAR(16) NOT NULL,
  subject BIGINT NOT NULL,
  KEY changes_at (at)
);
CREATE TABLE edits (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  topic VARCHAR(16) NOT NULL,
  subject BIGINT NOT NULL,
  part BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  account VARCHAR(100) NOT NULL,
  at DATETIME(6) NOT NULL,
  field VARCHAR(32) NOT NULL,
  was TEXT NOT NULL,
  became TEXT NOT NULL,
  KEY edits_subject (topic, subject, part, revision)
);
CREATE TABLE revoked_links (
  secret_hash BINARY(32) NOT NULL PRIMARY KEY,
  revoked_at DATETIME(6) NOT NULL
);
ALTER TABLE sessions
  ADD COLUMN id BIGINT NOT NULL AUTO_INCREMENT UNIQUE FIRST;
ALTER TABLE platforms
  ADD COLUMN revision BIGINT NOT NULL DEFAULT 1,
  ADD COLUMN removed_at DATETIME(6) NULL;
ALTER TABLE feeds
  ADD COLUMN revision BIGINT NOT NULL DEFAULT 1,
  ADD COLUMN removed_at DATETIME(6) NULL,
  ADD COLUMN live TINYINT AS (IF(removed_at IS NULL, 1, NULL)) VIRTUAL,
  ADD COLUMN touched_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
  DROP KEY feeds_name,
  DROP KEY feeds_due,
  ADD UNIQUE KEY feeds_name (name, live),
  ADD KEY feeds_due (live, due_at, id),
  ADD KEY feeds_touched (touched_at);
ALTER TABLE calendars
  ADD COLUMN revision BIGINT NOT NULL DEFAULT 1;
ALTER TABLE links
  ADD COLUMN revision BIGINT NOT NULL DEFAULT 1;
ALTER TABLE publications
  ADD COLUMN revision BIGINT NOT NULL DEFAULT 1,
  ADD COLUMN rendered_name VARCHAR(100) NOT NULL DEFAULT '',
  ADD COLUMN removed_at DATETIME(6) NULL,
  ADD COLUMN live TINYINT AS (IF(removed_at IS NULL, 1, NULL)) VIRTUAL,
  DROP KEY publications_name,
  ADD UNIQUE KEY publications_name (name, live),
  ADD KEY publications_calendar (calendar_id),
  DROP KEY publications_recipient,
  ADD UNIQUE KEY publications_recipient (calendar_id, platform_id, live);
UPDATE publications SET rendered_name = name;
