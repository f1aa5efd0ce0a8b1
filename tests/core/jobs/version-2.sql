BEGIN TRANSACTION;
CREATE TABLE acts (id INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, done_at TEXT NOT NULL,
  document TEXT NOT NULL);
INSERT INTO "acts" VALUES(1,'New job','2026-11-28T22:27:19+00:00','{"format":"grevin-job","version":2,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(2,'Add dirt','2026-11-28T22:27:19+00:00','{"format":"grevin-job","version":2,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.5,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"grow_px":1},"enabled":true},{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.5,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"grow_px":1},"enabled":false}]}},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(3,'Set dirt','2026-11-28T22:27:19+00:00','{"format":"grevin-job","version":2,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.5,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"grow_px":1},"enabled":true},{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.5,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"grow_px":1},"enabled":false}]}},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(4,'Something undone','2026-11-28T22:27:19+00:00','{"format":"grevin-job","version":2,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]}}]}');
CREATE TABLE examined (identity TEXT PRIMARY KEY, data TEXT NOT NULL);
CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO "facts" VALUES('current_act','3');
INSERT INTO "facts" VALUES('look.frame','7');
CREATE TABLE findings (id INTEGER PRIMARY KEY, reel INTEGER NOT NULL, kind TEXT NOT NULL,
  first INTEGER NOT NULL, last INTEGER NOT NULL, words TEXT NOT NULL, verdict TEXT NOT NULL DEFAULT 'undecided',
  UNIQUE (reel, kind, first, last));
CREATE TABLE indices (identity TEXT PRIMARY KEY, data BLOB NOT NULL);
CREATE TABLE ledger (run INTEGER NOT NULL REFERENCES runs(id), frame INTEGER NOT NULL, place INTEGER NOT NULL,
  step TEXT NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
  pixels INTEGER NOT NULL, contrast REAL NOT NULL, confidence REAL NOT NULL, verdict TEXT NOT NULL);
CREATE TABLE runs (id INTEGER PRIMARY KEY, done_at TEXT NOT NULL, reel INTEGER NOT NULL, proof TEXT NOT NULL);
INSERT INTO "runs" VALUES(1,'2026-11-28T22:27:19+00:00',0,'{"output": "quay-treated.mkv", "summary": "fine", "checksums": ["aa", "bb"]}');
CREATE INDEX ledger_by_frame ON ledger(run, frame);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('acts',4);
COMMIT;
PRAGMA application_id = 1196578353;
PRAGMA user_version = 2;
