ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS frame CHAR(32) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS gaps TEXT NOT NULL DEFAULT '{}';
CREATE TABLE IF NOT EXISTS pickup_gaps (
  publication_id BIGINT NOT NULL PRIMARY KEY,
  last_at DATETIME(6) NOT NULL,
  gaps TEXT NOT NULL,
  CONSTRAINT pickup_gaps_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE
);
ALTER TABLE calendars
  ADD COLUMN IF NOT EXISTS removed_at DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS live TINYINT AS (IF(removed_at IS NULL, 1, NULL)) VIRTUAL,
  DROP KEY IF EXISTS calendars_name,
  ADD UNIQUE KEY calendars_name (name, live);
ALTER TABLE entries
  ADD COLUMN IF NOT EXISTS gone_at DATETIME(6) NULL,
  DROP KEY IF EXISTS entries_feed,
  ADD KEY entries_feed (feed_id, gone_at, id),
  ADD KEY IF NOT EXISTS entries_gone (gone_at);
UPDATE bookings SET evidence = '{}' WHERE evidence NOT LIKE '{%';
INSERT INTO dirty (calendar_id) SELECT id FROM calendars;
