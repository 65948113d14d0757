CREATE INDEX log_instrument ON log (json_extract(data, '$.instrument'), number);
CREATE INDEX log_song ON log (json_extract(data, '$.song'), number);
CREATE INDEX log_at ON log (at);
