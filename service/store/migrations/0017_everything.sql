-- The UID that the recipient of an item sees, where that is its source's.
ALTER TABLE carried ADD COLUMN IF NOT EXISTS sent VARCHAR(255) NOT NULL DEFAULT '';
