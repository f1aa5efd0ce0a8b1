BEGIN TRANSACTION;
CREATE TABLE acts (id INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, done_at TEXT NOT NULL,
  document TEXT NOT NULL);
INSERT INTO "acts" VALUES(1,'New job','2026-11-28T22:27:18+00:00','{"format":"grevin-job","version":1,"reels":[{"path":"quay.mkv","rate":null,"treatment":{"steps":[]}},{"path":"ferry.%04d.png","rate":"18","treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(2,'Add dirt','2026-11-28T22:27:18+00:00','{"format":"grevin-job","version":1,"reels":[{"path":"quay.mkv","rate":null,"treatment":{"steps":[{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"motion_limit_px":30.0,"grow_px":1},"enabled":true},{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"motion_limit_px":30.0,"grow_px":1},"enabled":false}]}},{"path":"ferry.%04d.png","rate":"18","treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(3,'Set dirt','2026-11-28T22:27:18+00:00','{"format":"grevin-job","version":1,"reels":[{"path":"quay.mkv","rate":null,"treatment":{"steps":[{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"motion_limit_px":30.0,"grow_px":1},"enabled":true},{"step":"dirt","settings":{"polarity":"both","smallest_px":3,"largest_px":4000,"sensitivity":3.5,"motion_limit_px":30.0,"grow_px":1},"enabled":false}]}},{"path":"ferry.%04d.png","rate":"18","treatment":{"steps":[]}}]}');
INSERT INTO "acts" VALUES(4,'Something undone','2026-11-28T22:27:18+00:00','{"format":"grevin-job","version":1,"reels":[{"path":"quay.mkv","rate":null,"treatment":{"steps":[]}},{"path":"ferry.%04d.png","rate":"18","treatment":{"steps":[]}}]}');
CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO "facts" VALUES('current_act','3');
INSERT INTO "facts" VALUES('look.frame','7');
CREATE TABLE ledger (run INTEGER NOT NULL REFERENCES runs(id), frame INTEGER NOT NULL, place INTEGER NOT NULL,
  step TEXT NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
  pixels INTEGER NOT NULL, contrast REAL NOT NULL, confidence REAL NOT NULL, verdict TEXT NOT NULL);
CREATE TABLE runs (id INTEGER PRIMARY KEY, done_at TEXT NOT NULL, reel INTEGER NOT NULL, proof TEXT NOT NULL);
INSERT INTO "runs" VALUES(1,'2026-11-28T22:27:18+00:00',0,'{"output": "quay-treated.mkv", "summary": "fine", "checksums": ["aa", "bb"]}');
CREATE INDEX ledger_by_frame ON ledger(run, frame);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('acts',4);
COMMIT;
PRAGMA application_id = 1196578353;
PRAGMA user_version = 1;
