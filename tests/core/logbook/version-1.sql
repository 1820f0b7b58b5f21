BEGIN TRANSACTION;
CREATE TABLE about (
	"key" VARCHAR NOT NULL, 
	value VARCHAR NOT NULL, 
	PRIMARY KEY ("key")
);
INSERT INTO "about" VALUES('format_version','1');
CREATE TABLE launches (
	number INTEGER NOT NULL, 
	variant VARCHAR NOT NULL, 
	round INTEGER NOT NULL, 
	rig VARCHAR NOT NULL, 
	started_at VARCHAR NOT NULL, 
	load_s FLOAT, 
	error TEXT, 
	about JSON NOT NULL, 
	PRIMARY KEY (number), 
	FOREIGN KEY(rig) REFERENCES rigs (fingerprint)
);
INSERT INTO "launches" VALUES(1,'slow',1,'4263e2f6175b115a','2026-11-23T11:28:51.937+00:00',4.63861000000000036746e-04,NULL,'{"command": ["python3", "worker.py", "8", "12", "13", "/nursery/model.py"], "python": "3.11.7", "log_tail": ""}');
CREATE TABLE measures (
	run INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	against INTEGER NOT NULL, 
	value FLOAT, 
	unit VARCHAR NOT NULL, 
	PRIMARY KEY (run, name, against), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
CREATE TABLE outputs (
	number INTEGER NOT NULL, 
	run INTEGER NOT NULL, 
	path VARCHAR NOT NULL, 
	bytes INTEGER NOT NULL, 
	digest VARCHAR NOT NULL, 
	PRIMARY KEY (number), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
CREATE TABLE plans (
	number INTEGER NOT NULL, 
	digest VARCHAR NOT NULL, 
	recorded_at VARCHAR NOT NULL, 
	path VARCHAR NOT NULL, 
	text TEXT NOT NULL, 
	content JSON NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "plans" VALUES(1,'2edb1c8474357f1742b143be783212ac081b8274932eaf2f6bf2ba5442b7f686','2026-11-23T11:28:51.927+00:00','/nursery/plan.toml','[schedule]
rounds = 1
repeats = 1
warmups = 0
[runners.painter]
script = "model.py"
[[variants]]
name = "slow"
settings = { step_s = 0.006 }
[[tasks]]
name = "violet"
prompt = "a violet flower"
seeds = [1, 2]
','{"title": "plan", "reference": "slow", "quality": null, "rounds": 1, "repeats": 1, "variants": [{"name": "slow", "form": "full", "settings": {"step_s": 0.006}, "weights_bytes": null}], "tasks": [{"name": "violet", "prompt": "a violet flower", "seeds": [1, 2]}], "measures": [], "cells": ["1dfcf9bfac1058e42a8d8655", "acb4152ced7f1d66a718dc36"]}');
CREATE TABLE rigs (
	fingerprint VARCHAR NOT NULL, 
	facts JSON NOT NULL, 
	PRIMARY KEY (fingerprint)
);
INSERT INTO "rigs" VALUES('4263e2f6175b115a','{"processor": "A processor", "cores": 2, "memory_bytes": 25276514304, "system": "Linux", "kernel": "6.1"}');
CREATE TABLE run_details (
	run INTEGER NOT NULL, 
	settings JSON NOT NULL, 
	limits JSON NOT NULL, 
	step_times_s BLOB NOT NULL, 
	phases_s JSON NOT NULL, 
	faults JSON NOT NULL, 
	provenance JSON NOT NULL, 
	exit_code INTEGER, 
	log_tail TEXT NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (run), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
INSERT INTO "run_details" VALUES(1,'{"step_s": 0.006}','{"run_s": null, "stall_s": 300.0}',X'5D89EAF45639793F60EB27A3973F793FA34562F46FA6803F','{"start": 0.02050197}','[]','{"command": ["python3", "worker.py", "8", "12", "13", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "ec2dede0f6cf82ef750e48fcd10fafc26f7a21d3f1190a8f4aa2cb940ba0ce35"}, "files": {}, "total_includes_load": false}',NULL,'','');
INSERT INTO "run_details" VALUES(2,'{"step_s": 0.006}','{"run_s": null, "stall_s": 300.0}',X'3CFC81E7E835793F6EF93ED80647793F7034CE46B153793F','{"start": 0.018564964}','[]','{"command": ["python3", "worker.py", "8", "12", "13", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "ec2dede0f6cf82ef750e48fcd10fafc26f7a21d3f1190a8f4aa2cb940ba0ce35"}, "files": {}, "total_includes_load": false}',NULL,'','');
CREATE TABLE runs (
	number INTEGER NOT NULL, 
	cell VARCHAR NOT NULL, 
	launch INTEGER NOT NULL, 
	place INTEGER NOT NULL, 
	variant VARCHAR NOT NULL, 
	form VARCHAR NOT NULL, 
	task VARCHAR NOT NULL, 
	seed INTEGER NOT NULL, 
	round INTEGER NOT NULL, 
	repeat INTEGER NOT NULL, 
	warm_up BOOLEAN NOT NULL, 
	varied JSON NOT NULL, 
	status VARCHAR NOT NULL, 
	error TEXT, 
	voided TEXT, 
	started_at VARCHAR NOT NULL, 
	time_s FLOAT, 
	first_s FLOAT, 
	steps INTEGER NOT NULL, 
	step_time_s FLOAT, 
	memory_peak_bytes INTEGER, 
	memory_device_bytes INTEGER, 
	cpu_s FLOAT, 
	tokens INTEGER NOT NULL, 
	source VARCHAR NOT NULL, 
	PRIMARY KEY (number), 
	FOREIGN KEY(launch) REFERENCES launches (number)
);
INSERT INTO "runs" VALUES(1,'1dfcf9bfac1058e42a8d8655',1,1,'slow','full','violet',1,1,1,0,'{}','finished',NULL,NULL,'2026-11-23T11:28:52.066+00:00',0.02050197,6.15819900000000048506e-03,3,6.16416200000000080727e-03,11000000,NULL,0.000474,0,'measured');
INSERT INTO "runs" VALUES(2,'acb4152ced7f1d66a718dc36',1,2,'slow','full','violet',2,1,1,0,'{}','finished',NULL,NULL,'2026-11-23T11:28:52.094+00:00',0.018564964,6.15492800000000048199e-03,3,0.006171252,11000000,NULL,0.00056,0,'measured');
CREATE INDEX runs_by_cell ON runs (cell);
CREATE INDEX outputs_by_run ON outputs (run);
COMMIT;
