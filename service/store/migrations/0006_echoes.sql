ALTER TABLE calendars
  ADD COLUMN IF NOT EXISTS recheck_at DATETIME(6) NULL;
CREATE TABLE IF NOT EXISTS mirrors (
  feed_id BIGINT NOT NULL,
  of_id BIGINT NOT NULL,
  PRIMARY KEY (feed_id, of_id),
  CONSTRAINT mirrors_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE,
  CONSTRAINT mirrors_of FOREIGN KEY (of_id) REFERENCES feeds (id) ON DELETE CASCADE
);
INSERT INTO dirty (calendar_id) SELECT id FROM calendars;
