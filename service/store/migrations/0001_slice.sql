CREATE TABLE IF NOT EXISTS settings (
  name VARCHAR(64) NOT NULL PRIMARY KEY,
  value VARBINARY(1024) NOT NULL
);
CREATE TABLE IF NOT EXISTS accounts (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(100) NOT NULL,
  password_hash VARCHAR(255) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY accounts_name (name)
);
CREATE TABLE IF NOT EXISTS sessions (
  hash BINARY(32) NOT NULL PRIMARY KEY,
  account_id BIGINT NOT NULL,
  kind VARCHAR(16) NOT NULL,
  label VARCHAR(100) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  CONSTRAINT sessions_account FOREIGN KEY (account_id) REFERENCES accounts (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS platforms (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(100) NOT NULL,
  UNIQUE KEY platforms_name (name)
);
CREATE TABLE IF NOT EXISTS feeds (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  platform_id BIGINT NOT NULL,
  name VARCHAR(100) NOT NULL,
  color VARCHAR(16) NOT NULL,
  url_cipher VARBINARY(4096) NOT NULL,
  address VARCHAR(512) NOT NULL,
  every_seconds INT NOT NULL,
  e_tag VARCHAR(512) NOT NULL DEFAULT '',
  last_modified VARCHAR(64) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  due_at DATETIME(6) NOT NULL,
  lease_until DATETIME(6) NULL,
  fence BIGINT NOT NULL DEFAULT 0,
  last_good_start DATETIME(6) NULL,
  last_good_end DATETIME(6) NULL,
  failing_since DATETIME(6) NULL,
  fresh_since DATETIME(6) NULL,
  run_times INT NOT NULL DEFAULT 0,
  run_start DATETIME(6) NULL,
  run_end DATETIME(6) NULL,
  run_status INT NOT NULL DEFAULT 0,
  last_reading_id BIGINT NULL,
  entries INT NOT NULL DEFAULT 0,
  remarks TEXT NOT NULL DEFAULT '',
  readings BIGINT NOT NULL DEFAULT 0,
  UNIQUE KEY feeds_name (name),
  KEY feeds_due (due_at, id),
  CONSTRAINT feeds_platform FOREIGN KEY (platform_id) REFERENCES platforms (id)
);
CREATE TABLE IF NOT EXISTS readings (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  feed_id BIGINT NOT NULL,
  started_at DATETIME(6) NOT NULL,
  finished_at DATETIME(6) NOT NULL,
  outcome VARCHAR(16) NOT NULL,
  message TEXT NOT NULL,
  status INT NOT NULL,
  bytes BIGINT NOT NULL,
  entries INT NOT NULL,
  added INT NOT NULL,
  changed INT NOT NULL,
  removed INT NOT NULL,
  times INT NOT NULL,
  KEY readings_feed (feed_id, id),
  CONSTRAINT readings_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS bodies (
  feed_id BIGINT NOT NULL PRIMARY KEY,
  body LONGBLOB NOT NULL,
  CONSTRAINT bodies_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS entries (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  feed_id BIGINT NOT NULL,
  uid TEXT NOT NULL,
  place CHAR(32) NOT NULL,
  digest CHAR(32) NOT NULL,
  not_before DATETIME(6) NULL,
  seen_by DATETIME(6) NOT NULL,
  KEY entries_feed (feed_id, id),
  CONSTRAINT entries_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS calendars (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(100) NOT NULL,
  zone VARCHAR(100) NOT NULL,
  grain VARCHAR(8) NOT NULL,
  capacity INT NOT NULL,
  version BIGINT NOT NULL DEFAULT 0,
  laid_out_on VARCHAR(10) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY calendars_name (name)
);
CREATE TABLE IF NOT EXISTS links (
  calendar_id BIGINT NOT NULL,
  feed_id BIGINT NOT NULL,
  role VARCHAR(16) NOT NULL,
  tentative VARCHAR(16) NOT NULL,
  units INT NOT NULL,
  label VARCHAR(100) NOT NULL,
  notices TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (calendar_id, feed_id),
  KEY links_feed (feed_id),
  CONSTRAINT links_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE,
  CONSTRAINT links_feed FOREIGN KEY (feed_id) REFERENCES feeds (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS bookings (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  calendar_id BIGINT NOT NULL,
  feed_id BIGINT NOT NULL,
  entry_id BIGINT NOT NULL,
  occurrence VARCHAR(40) NOT NULL,
  uid TEXT NOT NULL,
  minted CHAR(38) NOT NULL,
  start_point BIGINT NOT NULL,
  end_point BIGINT NOT NULL,
  tentative BOOLEAN NOT NULL,
  blocks BOOLEAN NOT NULL,
  units INT NOT NULL,
  title TEXT NOT NULL,
  notices VARCHAR(255) NOT NULL,
  sequence INT NOT NULL,
  stamp DATETIME(6) NULL,
  created DATETIME(6) NULL,
  not_before DATETIME(6) NULL,
  seen_by DATETIME(6) NOT NULL,
  removed_at DATETIME(6) NULL,
  verdict VARCHAR(16) NOT NULL,
  evidence TEXT NOT NULL,
  with_id BIGINT NOT NULL DEFAULT 0,
  UNIQUE KEY bookings_occurrence (calendar_id, entry_id, occurrence),
  KEY bookings_feed (calendar_id, feed_id),
  KEY bookings_span (calendar_id, start_point),
  KEY bookings_entry (entry_id, occurrence),
  KEY bookings_minted (calendar_id, minted),
  CONSTRAINT bookings_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS dirty (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  calendar_id BIGINT NOT NULL,
  KEY dirty_calendar (calendar_id),
  CONSTRAINT dirty_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS conflicts (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  calendar_id BIGINT NOT NULL,
  kind VARCHAR(32) NOT NULL,
  start_point BIGINT NOT NULL,
  end_point BIGINT NOT NULL,
  state VARCHAR(16) NOT NULL,
  opened_at DATETIME(6) NOT NULL,
  cleared_at DATETIME(6) NULL,
  acknowledged_by VARCHAR(100) NOT NULL,
  note TEXT NOT NULL,
  KEY conflicts_calendar (calendar_id, state),
  CONSTRAINT conflicts_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS conflict_bookings (
  conflict_id BIGINT NOT NULL,
  booking_id BIGINT NOT NULL,
  PRIMARY KEY (conflict_id, booking_id),
  CONSTRAINT conflict_bookings_conflict FOREIGN KEY (conflict_id) REFERENCES conflicts (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS publications (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  calendar_id BIGINT NOT NULL,
  platform_id BIGINT NOT NULL,
  name VARCHAR(100) NOT NULL,
  secret_hash BINARY(32) NOT NULL,
  secret_cipher VARBINARY(255) NOT NULL,
  version BIGINT NOT NULL DEFAULT 0,
  body LONGBLOB NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY publications_name (name),
  UNIQUE KEY publications_secret (secret_hash),
  UNIQUE KEY publications_recipient (calendar_id, platform_id),
  CONSTRAINT publications_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE,
  CONSTRAINT publications_platform FOREIGN KEY (platform_id) REFERENCES platforms (id)
);
CREATE TABLE IF NOT EXISTS versions (
  publication_id BIGINT NOT NULL,
  version BIGINT NOT NULL,
  at DATETIME(6) NOT NULL,
  e_tag VARCHAR(64) NOT NULL,
  bytes BIGINT NOT NULL,
  PRIMARY KEY (publication_id, version),
  CONSTRAINT versions_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS carried (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  publication_id BIGINT NOT NULL,
  uid CHAR(38) NOT NULL,
  start_point BIGINT NOT NULL,
  end_point BIGINT NOT NULL,
  units INT NOT NULL,
  tentative BOOLEAN NOT NULL,
  sequence INT NOT NULL,
  stamp DATETIME(6) NOT NULL,
  from_version BIGINT NOT NULL,
  to_version BIGINT NOT NULL,
  KEY carried_publication (publication_id, to_version),
  CONSTRAINT carried_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS pickups (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  publication_id BIGINT NOT NULL,
  version BIGINT NOT NULL,
  agent VARCHAR(200) NOT NULL,
  first_at DATETIME(6) NOT NULL,
  last_at DATETIME(6) NOT NULL,
  times BIGINT NOT NULL,
  UNIQUE KEY pickups_version (publication_id, version, agent),
  CONSTRAINT pickups_publication FOREIGN KEY (publication_id) REFERENCES publications (id) ON DELETE CASCADE
);
