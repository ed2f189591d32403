-- What people said of bookings, and the life of each conflict.
CREATE TABLE IF NOT EXISTS answers (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  entry_id BIGINT NOT NULL,
  occurrence VARCHAR(40) NOT NULL,
  answer VARCHAR(20) NOT NULL,
  said_by VARCHAR(100) NOT NULL,
  at DATETIME(6) NOT NULL,
  until DATETIME(6) NULL,
  ended_by VARCHAR(100) NOT NULL,
  KEY answers_entry (entry_id, occurrence, until),
  CONSTRAINT answers_entry FOREIGN KEY (entry_id) REFERENCES entries (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS conflict_events (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  conflict_id BIGINT NOT NULL,
  at DATETIME(6) NOT NULL,
  event VARCHAR(20) NOT NULL,
  said_by VARCHAR(100) NOT NULL,
  note TEXT NOT NULL,
  booking_id BIGINT NULL,
  KEY conflict_events_conflict (conflict_id, id),
  CONSTRAINT conflict_events_conflict FOREIGN KEY (conflict_id) REFERENCES conflicts (id) ON DELETE CASCADE
);
INSERT INTO conflict_events (conflict_id, at, event, said_by, note)
  SELECT id, opened_at, 'opened', '', '' FROM conflicts WHERE id NOT IN (SELECT conflict_id FROM conflict_events);
INSERT INTO conflict_events (conflict_id, at, event, said_by, note)
  SELECT id, cleared_at, 'cleared', '', '' FROM conflicts
  WHERE cleared_at IS NOT NULL AND id NOT IN (SELECT conflict_id FROM conflict_events WHERE event = 'cleared');
