CREATE TABLE kept_order (
    id TEXT PRIMARY KEY, position INTEGER NOT NULL, night TEXT NOT NULL, name TEXT NOT NULL, slots TEXT NOT NULL
);
INSERT INTO kept_order (id, position, night, name, slots)
    SELECT id, position, substr(id, 1, instr(id, '~') - 1), name, slots FROM night WHERE instr(id, '~') > 0;
DELETE FROM night WHERE instr(id, '~') > 0;
CREATE INDEX log_kind ON log (kind, number);
