ALTER TABLE calendars
  ADD COLUMN IF NOT EXISTS recheck_at DATETIME(6) NULL;
INSERT INTO dirty (calendar_id) SELECT id FROM calendars;
