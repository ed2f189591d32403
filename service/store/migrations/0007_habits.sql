-- What is known of platforms, in steps: learnt of a feed on a calendar, or laid down by a person.
CREATE TABLE IF NOT EXISTS habits (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  platform_id BIGINT NOT NULL,
  feed_id BIGINT NULL,
  calendar_id BIGINT NULL,
  name VARCHAR(20) NOT NULL,
  of_what VARCHAR(250) NOT NULL,
  value VARCHAR(20) NOT NULL,
  bookings TEXT NOT NULL,
  set_by VARCHAR(100) NOT NULL,
  since DATETIME(6) NOT NULL,
  until DATETIME(6) NULL,
  KEY habits_of_calendar (calendar_id, until),
  KEY habits_of_platform (platform_id, until),
  CONSTRAINT habits_platform FOREIGN KEY (platform_id) REFERENCES platforms (id) ON DELETE CASCADE,
  CONSTRAINT habits_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE,
  CONSTRAINT habits_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
ALTER TABLE calendars
  ADD COLUMN IF NOT EXISTS chance_limit DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE publications
  ADD COLUMN IF NOT EXISTS reader VARCHAR(100) NOT NULL DEFAULT '';
ALTER TABLE bookings
  ADD INDEX IF NOT EXISTS bookings_removed (calendar_id, removed_at);
INSERT INTO dirty (calendar_id) SELECT id FROM calendars;
