BEGIN TRANSACTION;
CREATE TABLE acts (id INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, done_at TEXT NOT NULL,
  document TEXT NOT NULL);
INSERT INTO "acts" VALUES(1,'New job','2026-11-28T22:27:26+00:00','{"format":"grevin-job","version":6,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[],"marks":[]},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[],"marks":[]}]}');
INSERT INTO "acts" VALUES(2,'Add dirt','2026-11-28T22:27:26+00:00','{"format":"grevin-job","version":6,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":true,"regions":[],"over_time":[]},{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":false,"regions":[],"over_time":[]}]},"shots":[],"marks":[]},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[],"marks":[]}]}');
INSERT INTO "acts" VALUES(3,'Leave','2026-11-28T22:27:26+00:00','{"format":"grevin-job","version":6,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":true,"regions":[],"over_time":[]},{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":false,"regions":[],"over_time":[]}]},"shots":[{"first":0,"name":"","kind":"","treatment":null},{"first":12,"name":"Gulls","kind":"","treatment":{"steps":[{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":true,"regions":[],"over_time":[]},{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":false,"regions":[],"over_time":[]}]}}],"marks":[]},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[],"marks":[]}]}');
INSERT INTO "acts" VALUES(4,'Something undone','2026-11-28T22:27:26+00:00','{"format":"grevin-job","version":6,"reels":[{"id":0,"path":"quay.mkv","name":"","declared":{"rate":null,"running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[{"first":0,"name":"","kind":"","treatment":null},{"first":12,"name":"Gulls","kind":"","treatment":{"steps":[{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":true,"regions":[],"over_time":[]},{"step":"dirt","settings":{"way":"along motion","median_px":9,"median_levels":20,"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"caution":0.1,"motion":"fine","motion_limit_px":60.0,"most_pct":6.0,"most_specks":150,"grow_px":1},"enabled":false,"regions":[],"over_time":[]}]}}],"marks":[]},{"id":1,"path":"ferry.%04d.png","name":"","declared":{"rate":"18","running_speed":null,"pixel_aspect":null,"field_order":null,"full_range":null,"matrix":null,"timecode":null,"gauge":null,"turn":0,"flip_sideways":false,"flip_upright":false,"head":0,"tail":0},"treatment":{"steps":[]},"shots":[],"marks":[]}]}');
CREATE TABLE checksums (run INTEGER NOT NULL REFERENCES runs(id), place INTEGER NOT NULL,
  checksum TEXT NOT NULL, PRIMARY KEY (run, place)) WITHOUT ROWID;
INSERT INTO "checksums" VALUES(1,0,'aa');
INSERT INTO "checksums" VALUES(1,1,'bb');
CREATE TABLE examined (identity TEXT PRIMARY KEY, data TEXT NOT NULL);
CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO "facts" VALUES('current_act','3');
INSERT INTO "facts" VALUES('look.frame','7');
CREATE TABLE found (id INTEGER PRIMARY KEY, reel INTEGER NOT NULL, origin TEXT NOT NULL,
  kind TEXT NOT NULL, first INTEGER NOT NULL, last INTEGER NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL,
  width INTEGER NOT NULL, height INTEGER NOT NULL, confidence REAL NOT NULL, words TEXT NOT NULL,
  figures TEXT NOT NULL, UNIQUE (reel, origin, kind, first, last, x, y));
CREATE TABLE indices (identity TEXT PRIMARY KEY, data BLOB NOT NULL);
CREATE TABLE ledger (run INTEGER NOT NULL REFERENCES runs(id), frame INTEGER NOT NULL, place INTEGER NOT NULL,
  step TEXT NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
  pixels INTEGER NOT NULL, contrast REAL NOT NULL, confidence REAL NOT NULL, verdict TEXT NOT NULL, frames INTEGER NOT NULL DEFAULT 1);
CREATE TABLE measured (key TEXT NOT NULL, frame INTEGER NOT NULL, cut INTEGER NOT NULL,
  fault TEXT NOT NULL, curves BLOB NOT NULL, spots BLOB NOT NULL, PRIMARY KEY (key, frame)) WITHOUT ROWID;
CREATE TABLE runs (id INTEGER PRIMARY KEY, done_at TEXT NOT NULL, reel INTEGER NOT NULL, proof TEXT NOT NULL);
INSERT INTO "runs" VALUES(1,'2026-11-28T22:27:26+00:00',0,'{"output": "quay-treated.mkv", "summary": "fine"}');
CREATE TABLE studied (key TEXT PRIMARY KEY, data BLOB NOT NULL);
CREATE TABLE verdicts (id INTEGER PRIMARY KEY, act INTEGER NOT NULL, reel INTEGER NOT NULL,
  step TEXT NOT NULL, frame INTEGER NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL,
  height INTEGER NOT NULL, word TEXT NOT NULL);
INSERT INTO "verdicts" VALUES(1,3,0,'dirt',3,10,12,4,5,'leave');
CREATE INDEX ledger_by_frame ON ledger(run, frame);
CREATE INDEX verdicts_by_reel ON verdicts(reel, act);
CREATE INDEX found_by_frame ON found(reel, first);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('acts',4);
COMMIT;
PRAGMA application_id = 1196578353;
PRAGMA user_version = 6;
