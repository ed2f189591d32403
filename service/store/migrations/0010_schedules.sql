-- Of a feed's link only the host and the last characters of a long secret are shown; of links given before, the host.
UPDATE feeds SET address = REGEXP_REPLACE(address, '^([a-z]+://[^/]*)/.*$', '\\1/…');
-- When a feed is read, if not every so many seconds; and since when it is paused.
ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS schedule VARCHAR(400) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS paused_at DATETIME(6) NULL;
-- Which entries of a feed count on a calendar.
ALTER TABLE links ADD COLUMN IF NOT EXISTS filter VARCHAR(400) NOT NULL DEFAULT '';
