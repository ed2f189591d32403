-- Of a feed's link only the host and the last characters of a long secret are shown; of links given before, the host.
UPDATE feeds SET address = REGEXP_REPLACE(address, '^([a-z]+://[^/]*)/.*$', '\\1/…');
