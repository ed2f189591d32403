-- What else is laid down of a publication. Those that are there go on as they are, each booking by itself.
ALTER TABLE publications ADD COLUMN IF NOT EXISTS options JSON NULL;
UPDATE publications SET options = '{"occupancy":"each"}' WHERE options IS NULL;
-- A recipient that is a person, and sells nothing.
ALTER TABLE platforms ADD COLUMN IF NOT EXISTS person BOOLEAN NOT NULL DEFAULT FALSE;
-- Who may read a publication beside its link being known, and until when.
ALTER TABLE publications ADD COLUMN IF NOT EXISTS login_user VARCHAR(100) NOT NULL DEFAULT '';
ALTER TABLE publications ADD COLUMN IF NOT EXISTS login_hash VARBINARY(32) NULL;
ALTER TABLE publications ADD COLUMN IF NOT EXISTS expires_at DATETIME(6) NULL;
-- A page for everybody, which has a secret of its own.
ALTER TABLE publications ADD COLUMN IF NOT EXISTS page_hash BINARY(32) NULL;
ALTER TABLE publications ADD COLUMN IF NOT EXISTS page_cipher VARBINARY(255) NULL;
ALTER TABLE publications ADD UNIQUE KEY IF NOT EXISTS publications_page (page_hash);
-- How often a publication was picked up on each day, of UTC.
CREATE TABLE IF NOT EXISTS pickup_days (
  publication_id BIGINT NOT NULL,
  day DATE NOT NULL,
  times BIGINT NOT NULL,
  PRIMARY KEY (publication_id, day),
  CONSTRAINT pickup_days_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE
);
-- Other calendars that a publication shows, and what it shows of each, as JSON.
CREATE TABLE IF NOT EXISTS publication_parts (
  publication_id BIGINT NOT NULL,
  calendar_id BIGINT NOT NULL,
  items LONGTEXT NOT NULL,
  PRIMARY KEY (publication_id, calendar_id),
  KEY publication_parts_calendar (calendar_id),
  CONSTRAINT publication_parts_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE,
  CONSTRAINT publication_parts_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
