BEGIN TRANSACTION;
CREATE TABLE about (
	"key" VARCHAR NOT NULL, 
	value VARCHAR NOT NULL, 
	PRIMARY KEY ("key")
);
INSERT INTO "about" VALUES('format_version','3');
CREATE TABLE forecasts (
	number INTEGER NOT NULL, 
	made_at VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	runs INTEGER NOT NULL, 
	low_s FLOAT NOT NULL, 
	high_s FLOAT NOT NULL, 
	took_s FLOAT, 
	PRIMARY KEY (number)
);
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
INSERT INTO "launches" VALUES(1,'full',1,'a79fd5b0bacaa0e9','2026-11-25T22:46:35.139+00:00',5.99408000000000058815e-04,NULL,'{"command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "packages": {}, "modules": {}, "threads": {}, "log_tail": ""}');
INSERT INTO "launches" VALUES(2,'quick',1,'a79fd5b0bacaa0e9','2026-11-25T22:46:36.034+00:00',0.000516383,NULL,'{"command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "packages": {}, "modules": {}, "threads": {}, "log_tail": ""}');
INSERT INTO "launches" VALUES(3,'quick',2,'a79fd5b0bacaa0e9','2026-11-25T22:46:36.536+00:00',0.000544605,NULL,'{"command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "packages": {}, "modules": {}, "threads": {}, "log_tail": ""}');
INSERT INTO "launches" VALUES(4,'full',2,'a79fd5b0bacaa0e9','2026-11-25T22:46:37.257+00:00',5.16689000000000080506e-04,NULL,'{"command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "packages": {}, "modules": {}, "threads": {}, "log_tail": ""}');
INSERT INTO "launches" VALUES(5,'quick',1,'a79fd5b0bacaa0e9','2026-11-25T22:46:47.467+00:00',4.90013000000000080447e-04,NULL,'{"command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "packages": {}, "modules": {}, "threads": {}, "log_tail": ""}');
INSERT INTO "launches" VALUES(6,'other',1,'a79fd5b0bacaa0e9','2026-11-25T22:46:49.964+00:00',NULL,NULL,'{}');
INSERT INTO "launches" VALUES(7,'other',2,'a79fd5b0bacaa0e9','2026-11-25T22:46:49.964+00:00',NULL,NULL,'{}');
CREATE TABLE measures (
	run INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	against INTEGER NOT NULL, 
	value FLOAT, 
	unit VARCHAR NOT NULL, 
	PRIMARY KEY (run, name, against), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
INSERT INTO "measures" VALUES(1,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(1,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(1,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(1,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(1,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(1,'rate.tokens',0,6.47906952786696365385e+02,'/s');
INSERT INTO "measures" VALUES(1,'gap.median',0,1.54343150000000022686e-03,'s');
INSERT INTO "measures" VALUES(1,'gap.p99',0,0.00154973633,'s');
INSERT INTO "measures" VALUES(1,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(2,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(2,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(2,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(2,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(2,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(2,'rate.tokens',0,8.19618184147387580668e+01,'/s');
INSERT INTO "measures" VALUES(2,'gap.median',0,1.22008030000000013831e-02,'s');
INSERT INTO "measures" VALUES(2,'gap.p99',0,2.02583590800000032383e-02,'s');
INSERT INTO "measures" VALUES(2,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(3,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(3,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(3,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(3,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(3,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(3,'rate.tokens',0,3.17178481723700087966e+02,'/s');
INSERT INTO "measures" VALUES(3,'gap.median',0,0.003152799,'s');
INSERT INTO "measures" VALUES(3,'gap.p99',0,4.26112019999999938613e-03,'s');
INSERT INTO "measures" VALUES(3,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(4,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(4,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(4,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(4,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(4,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(4,'rate.tokens',0,2.6251466472545820351e+02,'/s');
INSERT INTO "measures" VALUES(4,'gap.median',0,0.003809311,'s');
INSERT INTO "measures" VALUES(4,'gap.p99',0,0.00464261088,'s');
INSERT INTO "measures" VALUES(4,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(5,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(5,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(5,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(5,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(5,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(5,'rate.tokens',0,5.37382185673068420335e+02,'/s');
INSERT INTO "measures" VALUES(5,'gap.median',0,0.001860873,'s');
INSERT INTO "measures" VALUES(5,'gap.p99',0,0.0025733477,'s');
INSERT INTO "measures" VALUES(5,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(6,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(6,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(6,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(6,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(6,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(6,'rate.tokens',0,4.33613595867575654088e+01,'/s');
INSERT INTO "measures" VALUES(6,'gap.median',0,2.30620075000000021581e-02,'s');
INSERT INTO "measures" VALUES(6,'gap.p99',0,0.03718208515,'s');
INSERT INTO "measures" VALUES(6,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(7,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(7,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(7,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(7,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(7,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(7,'rate.tokens',0,4.24956126467113222151e+01,'/s');
INSERT INTO "measures" VALUES(7,'gap.median',0,0.023531841,'s');
INSERT INTO "measures" VALUES(7,'gap.p99',0,0.03376377894,'s');
INSERT INTO "measures" VALUES(7,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(8,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(8,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(8,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(8,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(8,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(8,'rate.tokens',0,1.19596352741788251709e+02,'/s');
INSERT INTO "measures" VALUES(8,'gap.median',0,0.008361459,'s');
INSERT INTO "measures" VALUES(8,'gap.p99',0,0.01293446044,'s');
INSERT INTO "measures" VALUES(8,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(1,'likeness',7,1.0,'');
INSERT INTO "measures" VALUES(2,'likeness',8,1.0,'');
INSERT INTO "measures" VALUES(3,'likeness',1,9.84501321166501353054e-01,'');
INSERT INTO "measures" VALUES(4,'likeness',2,9.84501321166501353054e-01,'');
INSERT INTO "measures" VALUES(5,'likeness',7,9.84501321166501353054e-01,'');
INSERT INTO "measures" VALUES(6,'likeness',8,9.84501321166501353054e-01,'');
INSERT INTO "measures" VALUES(7,'likeness',1,1.0,'');
INSERT INTO "measures" VALUES(8,'likeness',2,1.0,'');
INSERT INTO "measures" VALUES(1,'kept',7,100.0,'dB');
INSERT INTO "measures" VALUES(2,'kept',8,100.0,'dB');
INSERT INTO "measures" VALUES(3,'kept',1,1.69424635716720359823e+01,'dB');
INSERT INTO "measures" VALUES(4,'kept',2,1.69424635716720359823e+01,'dB');
INSERT INTO "measures" VALUES(5,'kept',7,1.69424635716720359823e+01,'dB');
INSERT INTO "measures" VALUES(6,'kept',8,1.69424635716720359823e+01,'dB');
INSERT INTO "measures" VALUES(7,'kept',1,100.0,'dB');
INSERT INTO "measures" VALUES(8,'kept',2,100.0,'dB');
INSERT INTO "measures" VALUES(1,'holds',0,1.0,'');
INSERT INTO "measures" VALUES(2,'holds',0,1.0,'');
INSERT INTO "measures" VALUES(3,'holds',0,0.5,'');
INSERT INTO "measures" VALUES(4,'holds',0,0.0,'');
INSERT INTO "measures" VALUES(5,'holds',0,0.5,'');
INSERT INTO "measures" VALUES(6,'holds',0,0.0,'');
INSERT INTO "measures" VALUES(7,'holds',0,1.0,'');
INSERT INTO "measures" VALUES(8,'holds',0,1.0,'');
INSERT INTO "measures" VALUES(9,'likeness',0,42.0,'');
INSERT INTO "measures" VALUES(9,'facts',0,0.25,'');
INSERT INTO "measures" VALUES(9,'warmth',0,3.0,'K');
INSERT INTO "measures" VALUES(9,'time.total',0,-5.0,'s');
INSERT INTO "measures" VALUES(9,'count.calls',0,1.0,'');
INSERT INTO "measures" VALUES(9,'rate.tokens',0,1.43243962947370590647e+02,'/s');
INSERT INTO "measures" VALUES(9,'gap.median',0,0.006981097,'s');
INSERT INTO "measures" VALUES(9,'gap.p99',0,0.00899190804,'s');
INSERT INTO "measures" VALUES(9,'input.tokens',0,7.0,'');
INSERT INTO "measures" VALUES(10,'likeness',0,0.1,'');
INSERT INTO "measures" VALUES(10,'sweetness',0,7.0,'');
INSERT INTO "measures" VALUES(11,'likeness',0,0.2,'');
INSERT INTO "measures" VALUES(11,'sweetness',0,8.0,'');
CREATE TABLE notes (
	number INTEGER NOT NULL, 
	run INTEGER NOT NULL, 
	noted_at VARCHAR NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
INSERT INTO "notes" VALUES(1,2,'2026-11-25T22:46:49.466+00:00','the till was busy');
CREATE TABLE outputs (
	number INTEGER NOT NULL, 
	run INTEGER NOT NULL, 
	path VARCHAR NOT NULL, 
	bytes INTEGER NOT NULL, 
	digest VARCHAR NOT NULL, 
	PRIMARY KEY (number), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
INSERT INTO "outputs" VALUES(1,1,'outputs/L00001-0001/label.ppm',445,'4e67f848bc70494551386608f156b272acdb3c8af87744f07ccbe09a706622fb');
INSERT INTO "outputs" VALUES(2,2,'outputs/L00001-0002/label.ppm',445,'4e67f848bc70494551386608f156b272acdb3c8af87744f07ccbe09a706622fb');
INSERT INTO "outputs" VALUES(3,3,'outputs/L00002-0001/label.ppm',445,'f3c2c8f6537bd6d81dfbf9a071cc88acacb5f5fd98d4c2c0780cb6fa56d99709');
INSERT INTO "outputs" VALUES(4,4,'outputs/L00002-0002/label.ppm',445,'f3c2c8f6537bd6d81dfbf9a071cc88acacb5f5fd98d4c2c0780cb6fa56d99709');
INSERT INTO "outputs" VALUES(5,5,'outputs/L00003-0001/label.ppm',445,'f3c2c8f6537bd6d81dfbf9a071cc88acacb5f5fd98d4c2c0780cb6fa56d99709');
INSERT INTO "outputs" VALUES(6,6,'outputs/L00003-0002/label.ppm',445,'f3c2c8f6537bd6d81dfbf9a071cc88acacb5f5fd98d4c2c0780cb6fa56d99709');
INSERT INTO "outputs" VALUES(7,7,'outputs/L00004-0001/label.ppm',445,'4e67f848bc70494551386608f156b272acdb3c8af87744f07ccbe09a706622fb');
INSERT INTO "outputs" VALUES(8,8,'outputs/L00004-0002/label.ppm',445,'4e67f848bc70494551386608f156b272acdb3c8af87744f07ccbe09a706622fb');
INSERT INTO "outputs" VALUES(9,9,'outputs/L00005-0001/label.ppm',445,'f3c2c8f6537bd6d81dfbf9a071cc88acacb5f5fd98d4c2c0780cb6fa56d99709');
CREATE TABLE plans (
	number INTEGER NOT NULL, 
	digest VARCHAR NOT NULL, 
	recorded_at VARCHAR NOT NULL, 
	path VARCHAR NOT NULL, 
	text TEXT NOT NULL, 
	content JSON NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "plans" VALUES(1,'47d5511434580e6124fec8d244317c810b8ac466b97a6ae942c37f53339e8df6','2026-11-25T22:46:35.009+00:00','/nursery/plan.toml','title = "An old plan"
reference = "full"
[schedule]
rounds = 2
repeats = 1
warmups = 0
[runners.p]
script = "model.py"
[[variants]]
name = "full"
settings = { steps = 2 }
[[variants]]
name = "quick"
form = "distilled"
[[tasks]]
name = "violet"
prompt = "a violet"
wanted = ["half shade", "loam"]
expect = ["violet petals"]
facts = { items = 2 }
[[tasks]]
name = "rose"
prompt = "a rose"
wanted = ["loam"]
[[measures]]
name = "likeness"
kind = "ssim"
[[measures]]
name = "kept"
kind = "psnr"
[[measures]]
name = "holds"
kind = "contains"
[[measures]]
name = "facts"
kind = "contains"
','{"title": "An old plan", "reference": "full", "quality": "likeness", "rounds": 2, "settle_to": null, "most_rounds": 12, "repeats": 1, "variants": [{"name": "full", "form": "full", "of": null, "runner": "p", "weights": [], "parts": {}, "settings": {"steps": 2}, "weights_bytes": null}, {"name": "quick", "form": "distilled", "of": null, "runner": "p", "weights": [], "parts": {}, "settings": {}, "weights_bytes": null}], "tasks": [{"name": "violet", "prompt": "a violet", "seeds": [0], "wanted": ["half shade", "loam"], "facts": {"items": 2}, "settings": {}}, {"name": "rose", "prompt": "a rose", "seeds": [0], "wanted": ["loam"], "facts": {}, "settings": {}}], "vary": {}, "measures": [{"name": "likeness", "kind": "ssim"}, {"name": "kept", "kind": "psnr"}, {"name": "holds", "kind": "contains"}, {"name": "facts", "kind": "contains"}], "cells": ["ddff550eddf9d3ca4f4bcded", "a6f8c87c1a6f201bfc958b6b", "7d62745fc7c2775fcc270abd", "b67fca49cf64997537a262f2"]}');
INSERT INTO "plans" VALUES(2,'841ed9cf7eb09f5a0f43d6a7c6fb7bfc222bbc459e063231e1321316cca49b59','2026-11-25T22:46:44.365+00:00','/nursery/plan.toml','title = "An old plan"
reference = "full"
[schedule]
rounds = 2
repeats = 1
warmups = 0
[runners.p]
script = "model.py"
[[variants]]
name = "full"
settings = { steps = 2 }
[[variants]]
name = "quick"
form = "distilled"
[[tasks]]
name = "violet"
prompt = "a violet"
wanted = ["half shade", "loam"]
expect = ["violet petals"]
facts = { items = 2 }
[[tasks]]
name = "rose"
prompt = "a rose"
wanted = ["clay"]
[[measures]]
name = "likeness"
kind = "psnr"
[[measures]]
name = "kept"
kind = "psnr"
[[measures]]
name = "holds"
kind = "contains"
[[measures]]
name = "facts"
kind = "contains"
','{"title": "An old plan", "reference": "full", "quality": "likeness", "rounds": 2, "settle_to": null, "most_rounds": 12, "repeats": 1, "variants": [{"name": "full", "form": "full", "of": null, "runner": "p", "weights": [], "parts": {}, "settings": {"steps": 2}, "weights_bytes": null}, {"name": "quick", "form": "distilled", "of": null, "runner": "p", "weights": [], "parts": {}, "settings": {}, "weights_bytes": null}], "tasks": [{"name": "violet", "prompt": "a violet", "seeds": [0], "wanted": ["half shade", "loam"], "facts": {"items": 2}, "settings": {}}, {"name": "rose", "prompt": "a rose", "seeds": [0], "wanted": ["clay"], "facts": {}, "settings": {}}], "vary": {}, "measures": [{"name": "likeness", "kind": "psnr"}, {"name": "kept", "kind": "psnr"}, {"name": "holds", "kind": "contains"}, {"name": "facts", "kind": "contains"}], "cells": ["ddff550eddf9d3ca4f4bcded", "a6f8c87c1a6f201bfc958b6b", "7d62745fc7c2775fcc270abd", "b67fca49cf64997537a262f2"]}');
CREATE TABLE rigs (
	fingerprint VARCHAR NOT NULL, 
	facts JSON NOT NULL, 
	PRIMARY KEY (fingerprint)
);
INSERT INTO "rigs" VALUES('a79fd5b0bacaa0e9','{"processor": "a processor", "cores": 2, "memory_bytes": 25276514304, "system": "Linux", "kernel": "6.1.0"}');
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
	machine JSON DEFAULT '{}' NOT NULL, 
	piece_times_s BLOB DEFAULT '' NOT NULL, 
	requests JSON DEFAULT '[]' NOT NULL, 
	PRIMARY KEY (run), 
	FOREIGN KEY(run) REFERENCES runs (number)
);
INSERT INTO "run_details" VALUES(1,'{"steps": 2}','{"stall_s": 300.0}',X'','{"start": 0.004598357}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in loam.','{"looks": 2, "looked_for_s": 0.0058149980004600366, "processes": 1, "tree_memory_peak_bytes": 21409792, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21409792], [0.006, 21409792]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24719994880, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'09574FCCCB78533FAB20C755B36E663F8875316D0283713F','[]');
INSERT INTO "run_details" VALUES(2,'{"steps": 2}','{"stall_s": 300.0}',X'','{"start": 0.033437842}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in loam.','{"looks": 2, "looked_for_s": 0.034928226999909384, "processes": 1, "tree_memory_peak_bytes": 21409792, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21409792], [0.035, 21409792]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24717946880, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'8880800B6B90813F18EA097B75B6893F57F15ACA78E2A03F','[]');
INSERT INTO "run_details" VALUES(3,'{}','{"stall_s": 300.0}',X'','{"start": 0.015147557}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in clay.','{"looks": 2, "looked_for_s": 0.016703013000551437, "processes": 1, "tree_memory_peak_bytes": 21417984, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21417984], [0.017, 21417984]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24705679360, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'F4EE7ECB52A1803F2FCBC5823C67893F069507D5458B8D3F','[]');
INSERT INTO "run_details" VALUES(4,'{}','{"stall_s": 300.0}',X'','{"start": 0.016680889}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in clay.','{"looks": 2, "looked_for_s": 0.018133898999622033, "processes": 1, "tree_memory_peak_bytes": 21549056, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21417984], [0.018, 21549056]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24705679360, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'B96B1BDC5C50813F56481F1158DB8A3F073B607F5B75903F','[]');
INSERT INTO "run_details" VALUES(5,'{}','{"stall_s": 300.0}',X'','{"start": 0.005400175}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in clay.','{"looks": 2, "looked_for_s": 0.006779120000828698, "processes": 1, "tree_memory_peak_bytes": 21405696, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21405696], [0.007, 21405696]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24727285760, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'2A417277450C553FB206A11C02D0633FED9F86F39981743F','[]');
INSERT INTO "run_details" VALUES(6,'{}','{"stall_s": 300.0}',X'','{"start": 0.04821215}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in clay.','{"looks": 2, "looked_for_s": 0.11651666099987779, "processes": 1, "tree_memory_peak_bytes": 21536768, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21405696], [0.117, 21536768]], "model_share": 0.08582463584337091, "others_share": 0.6787136991526764, "stolen_share": 1.2015449018080504, "waited_for_cpu_share": 0.0028493779100018084, "waited_for_memory_share": 0.0, "waited_for_io_share": 0.0, "memory_available_low_bytes": 24725544960, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'CEA56763ED3B5B3F1996C05F2C09A43F14AB138B7077A83F','[]');
INSERT INTO "run_details" VALUES(7,'{"steps": 2}','{"stall_s": 300.0}',X'','{"start": 0.049138432}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in loam.','{"looks": 2, "looked_for_s": 0.05045922299996164, "processes": 1, "tree_memory_peak_bytes": 21450752, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21450752], [0.05, 21450752]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24708653056, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'3EF2162EFCF7583F78C7649C7FEE8D3F039F7AFF7AE0A83F','[]');
INSERT INTO "run_details" VALUES(8,'{"steps": 2}','{"stall_s": 300.0}',X'','{"start": 0.022480357000000003}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in loam.','{"looks": 2, "looked_for_s": 0.024004536999200354, "processes": 1, "tree_memory_peak_bytes": 21450752, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21450752], [0.024, 21450752]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24704864256, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'BC954648B44F753F7489883A2A39823F4606AF19BD73963F','[]');
INSERT INTO "run_details" VALUES(9,'{}','{"stall_s": 300.0}',X'','{"start": 0.016429145000000003}','[]','{"runner": "python", "command": ["python3", "worker.py", "16", "19", "20", "/nursery/model.py"], "python": "3.11.7", "script": {"/nursery/model.py": "d872f870524b7bffa9d4dbe30f178b3f5a64ff7c8a40f52ea058c4cd68abe162"}, "environment": {}, "files": {}, "total_includes_load": false}',NULL,'','Half shade, in clay.','{"looks": 2, "looked_for_s": 0.01793278100012685, "processes": 1, "tree_memory_peak_bytes": 21450752, "device_memory_peak_bytes": null, "memory_along": [[0.0, 21450752], [0.018, 21450752]], "model_share": null, "others_share": null, "stolen_share": null, "memory_available_low_bytes": 24692379648, "swap_used_high_bytes": 0, "clock_low_hz": null, "clock_high_hz": null, "temperature_high_c": null, "energy_j": null, "energy_source": null, "accelerators": []}',X'EA67D892CFD75E3F5F5AB118A5E67B3F24959EF39739903F','[]');
INSERT INTO "run_details" VALUES(10,'{}','{}',X'','{}','[]','{}',NULL,'','','{}',X'','[]');
INSERT INTO "run_details" VALUES(11,'{}','{}',X'','{}','[]','{}',NULL,'','','{}',X'','[]');
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
	trial BOOLEAN DEFAULT 0 NOT NULL, 
	energy_j FLOAT, 
	others_share FLOAT, 
	stolen_share FLOAT, 
	forecast_low_s FLOAT, 
	forecast_high_s FLOAT, 
	forecast_basis VARCHAR, 
	PRIMARY KEY (number), 
	FOREIGN KEY(launch) REFERENCES launches (number)
);
INSERT INTO "runs" VALUES(1,'ddff550eddf9d3ca4f4bcded',1,1,'full','full','violet',0,1,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:35.834+00:00',0.004598357,0.001188468,0,NULL,21590016,NULL,0.000701,3,'measured',0,NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "runs" VALUES(2,'a6f8c87c1a6f201bfc958b6b',1,2,'full','full','rose',0,1,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:35.872+00:00',0.033437842,0.008576237,0,NULL,21594112,NULL,0.000936,3,'measured',0,NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "runs" VALUES(3,'7d62745fc7c2775fcc270abd',2,1,'quick','distilled','violet',0,1,1,0,'{}','finished',NULL,'a delivery','2026-11-25T22:46:36.270+00:00',0.015147557,8.12020000000000102824e-03,0,NULL,21569536,NULL,0.001323,3,'measured',0,NULL,NULL,NULL,3.52361518867119836301e-03,0.00600090701374886,'other variants');
INSERT INTO "runs" VALUES(4,'b67fca49cf64997537a262f2',2,2,'quick','distilled','rose',0,1,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:36.299+00:00',0.016680889,0.008454061,0,NULL,21573632,NULL,0.001267,3,'measured',0,NULL,NULL,NULL,1.16072244752773012094e-02,1.97677303094258675908e-02,'same variant');
INSERT INTO "runs" VALUES(5,'7d62745fc7c2775fcc270abd',3,1,'quick','distilled','violet',0,2,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:37.000+00:00',0.005400175,0.001284664,0,NULL,21557248,NULL,0.000783,3,'measured',0,NULL,NULL,NULL,1.16072244752773012094e-02,1.97677303094258675908e-02,'same cell');
INSERT INTO "runs" VALUES(6,'b67fca49cf64997537a262f2',3,2,'quick','distilled','rose',0,2,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:37.080+00:00',0.04821215,0.001662237,0,NULL,21561344,NULL,0.000835,3,'measured',0,NULL,6.78713699152676430692e-01,1.20154490180805040289e+00,4.80746512564443877896e-03,5.78791630429188741491e-02,'same cell');
INSERT INTO "runs" VALUES(7,'ddff550eddf9d3ca4f4bcded',4,1,'full','full','violet',0,2,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:37.377+00:00',0.049138432,1.52396800000000011074e-03,0,NULL,21639168,NULL,0.001044,3,'measured',0,NULL,NULL,NULL,9.42387813276771815935e-04,2.24375642400618767469e-02,'same cell');
INSERT INTO "runs" VALUES(8,'a6f8c87c1a6f201bfc958b6b',4,2,'full','full','rose',0,2,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:37.723+00:00',2.24803570000000028927e-02,0.005202965,0,NULL,21643264,NULL,0.001146,3,'measured',0,NULL,NULL,NULL,2.17517281920960939278e-03,5.14023192889676905359e-01,'same cell');
INSERT INTO "runs" VALUES(9,'7d62745fc7c2775fcc270abd',5,1,'quick','distilled','violet',0,1,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:47.630+00:00',1.64291450000000026354e-02,1.88250800000000018466e-03,0,NULL,21663744,NULL,0.001004,3,'measured',1,NULL,NULL,NULL,1.25618950669487377917e-03,6.5117132555656515036e-02,'same cell');
INSERT INTO "runs" VALUES(10,'elsewhere:273998480d52110a4cb31e82',6,2,'other','full','violet',0,1,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:49.964+00:00',0.5,NULL,0,NULL,NULL,NULL,NULL,0,'imported',0,NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "runs" VALUES(11,'elsewhere:273998480d52110a4cb31e82',7,2,'other','full','violet',0,2,1,0,'{}','finished',NULL,NULL,'2026-11-25T22:46:49.964+00:00',0.6,NULL,0,NULL,NULL,NULL,NULL,0,'imported',0,NULL,NULL,NULL,NULL,NULL,NULL);
CREATE INDEX runs_by_cell ON runs (cell);
CREATE INDEX runs_by_round ON runs (variant, round);
CREATE INDEX runs_by_launch ON runs (launch, place);
CREATE INDEX outputs_by_run ON outputs (run);
CREATE INDEX notes_by_run ON notes (run);
COMMIT;
