ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS frame CHAR(32) NOT NULL DEFAULT '';
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
