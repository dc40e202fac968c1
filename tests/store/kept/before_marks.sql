BEGIN TRANSACTION;
CREATE TABLE agreed_terms (
	order_id INTEGER NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (order_id), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
CREATE TABLE baselines (
	number TEXT NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
CREATE TABLE change_orders (
	number TEXT NOT NULL, 
	order_number TEXT NOT NULL, 
	state TEXT NOT NULL, 
	sequence BIGINT, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
CREATE TABLE events (
	number BIGINT NOT NULL, 
	time TEXT NOT NULL, 
	type TEXT NOT NULL, 
	subject TEXT NOT NULL, 
	revision BIGINT NOT NULL, 
	"by" TEXT NOT NULL, 
	operation TEXT, 
	digest TEXT NOT NULL, 
	data TEXT NOT NULL, 
	PRIMARY KEY (number), 
	UNIQUE (operation)
);
INSERT INTO "events" VALUES(1,'2026-12-01T15:28:43.534+00:00','order.created','H-1',1,'Ann',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "H-1"}, {"line": "", "field": "customer", "from": null, "to": "FERN"}, {"line": "10", "field": "item", "from": null, "to": "SAW"}, {"line": "10", "field": "quantity", "from": null, "to": "1"}, {"line": "10", "field": "first", "from": null, "to": "2026-05-01"}, {"line": "10", "field": "last", "from": null, "to": "2026-05-02"}, {"line": "10", "field": "number", "from": null, "to": "10"}]}');
INSERT INTO "events" VALUES(2,'2026-12-01T15:28:43.551+00:00','order.created','H-2',1,'Ann',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "H-2"}, {"line": "", "field": "date", "from": null, "to": "2026-04-01"}, {"line": "10", "field": "item", "from": null, "to": "DRILL"}, {"line": "10", "field": "quantity", "from": null, "to": "2"}, {"line": "10", "field": "days", "from": null, "to": "3"}, {"line": "10", "field": "number", "from": null, "to": "10"}]}');
CREATE TABLE job_orders (
	job TEXT NOT NULL, 
	number TEXT NOT NULL, 
	revision BIGINT NOT NULL, 
	outcome TEXT, 
	why TEXT, 
	PRIMARY KEY (job, number), 
	FOREIGN KEY(job) REFERENCES jobs (name)
);
CREATE TABLE jobs (
	name TEXT NOT NULL, 
	about TEXT NOT NULL, 
	"by" TEXT NOT NULL, 
	time TEXT NOT NULL, 
	PRIMARY KEY (name)
);
CREATE TABLE numbering (
	series TEXT NOT NULL, 
	counter BIGINT NOT NULL, 
	PRIMARY KEY (series)
);
CREATE TABLE order_lines (
	order_id INTEGER NOT NULL, 
	place INTEGER NOT NULL, 
	number TEXT NOT NULL, 
	item TEXT, 
	description TEXT, 
	unit TEXT, 
	override_reason TEXT, 
	override_by TEXT, 
	override_time TEXT, 
	tax_category TEXT, 
	state TEXT, 
	quantity TEXT, 
	price_override TEXT, 
	price_base TEXT, 
	unit_price TEXT, 
	stated_net TEXT, 
	unit_cost TEXT, 
	delivered TEXT, 
	due_date DATE, 
	first DATE, 
	last DATE, 
	days TEXT, 
	pack TEXT, 
	absent TEXT NOT NULL, 
	figure_price TEXT, 
	figure_amount TEXT, 
	figure_net TEXT, 
	figure_without_tax TEXT, 
	PRIMARY KEY (order_id, number), 
	CONSTRAINT order_lines_quantity_digits CHECK (quantity NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_price_override_digits CHECK (price_override NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_price_base_digits CHECK (price_base NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_unit_price_digits CHECK (unit_price NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_stated_net_digits CHECK (stated_net NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_unit_cost_digits CHECK (unit_cost NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_delivered_digits CHECK (delivered NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_days_digits CHECK (days NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_pack_digits CHECK (pack NOT GLOB '*[^0-9.-]*'), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
INSERT INTO "order_lines" VALUES(1,0,'10','SAW',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2026-05-01','2026-05-02',NULL,NULL,'*','20','20','20','20');
INSERT INTO "order_lines" VALUES(2,0,'10','DRILL',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'3',NULL,'description,override_reason,override_by,override_time,tax_category,state,price_override,price_base,unit_price,stated_net,unit_cost,delivered,due_date,first,last,pack','30','60','60','60');
CREATE TABLE order_taxes (
	order_id INTEGER NOT NULL, 
	place INTEGER NOT NULL, 
	step TEXT NOT NULL, 
	category TEXT, 
	rate TEXT, 
	taxable TEXT, 
	tax TEXT, 
	reason TEXT, 
	PRIMARY KEY (order_id, place), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
CREATE TABLE orders (
	id INTEGER NOT NULL, 
	number_key TEXT NOT NULL, 
	number TEXT, 
	kind TEXT, 
	currency TEXT, 
	customer TEXT, 
	supplier TEXT, 
	ship_to TEXT, 
	ship_to_country TEXT, 
	tax_number TEXT, 
	requested_by TEXT, 
	state TEXT, 
	state_before TEXT, 
	date DATE, 
	revision BIGINT, 
	budget TEXT, 
	stated_line_net TEXT, 
	stated_without_tax TEXT, 
	stated_tax TEXT, 
	stated_with_tax TEXT, 
	stated_payable TEXT, 
	segment TEXT, 
	absent TEXT NOT NULL, 
	links TEXT, 
	payments TEXT, 
	deliveries TEXT, 
	acknowledgements TEXT, 
	pending TEXT, 
	routine TEXT, 
	fingerprint TEXT, 
	priced_at DATETIME, 
	total_line_net TEXT, 
	total_allowances TEXT, 
	total_charges TEXT, 
	total_without_tax TEXT, 
	total_tax TEXT, 
	total_with_tax TEXT, 
	total_prepaid TEXT, 
	total_rounding TEXT, 
	total_payable TEXT, 
	PRIMARY KEY (id), 
	CONSTRAINT orders_budget_digits CHECK (budget NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT orders_stated_line_net_digits CHECK (stated_line_net NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT orders_stated_without_tax_digits CHECK (stated_without_tax NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT orders_stated_tax_digits CHECK (stated_tax NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT orders_stated_with_tax_digits CHECK (stated_with_tax NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT orders_stated_payable_digits CHECK (stated_payable NOT GLOB '*[^0-9.-]*'), 
	UNIQUE (number_key), 
	CONSTRAINT orders_number CHECK (number IS NOT NULL)
);
INSERT INTO "orders" VALUES(1,'h-1','H-1',NULL,NULL,'FERN',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,1,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,NULL,NULL,NULL,'hire','3:b7ee0ba0ad6f0bd044c53befedc174f364f1da2a53001df5f0ca44f10bbd2372','2026-12-01 15:28:43.510945','20','0','0','20','0','20','0','0','20');
INSERT INTO "orders" VALUES(2,'h-2','H-2',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2026-04-01',1,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,NULL,NULL,NULL,'hire','3:b7ee0ba0ad6f0bd044c53befedc174f364f1da2a53001df5f0ca44f10bbd2372','2026-12-01 15:28:43.546819','60','0','0','60','0','60','0','0','60');
CREATE TABLE store (
	version INTEGER NOT NULL, 
	uuid TEXT NOT NULL, 
	last_event BIGINT NOT NULL, 
	first_event BIGINT NOT NULL, 
	fields TEXT NOT NULL
);
INSERT INTO "store" VALUES(1,'36847df6-5565-47c6-9ad6-21e0b336120d',2,1,'{"figure": {"amount": "decimal", "net": "decimal", "price": "decimal", "without_tax": "decimal"}, "header": {"budget": "decimal", "currency": "text", "customer": "text", "date": "date", "kind": "text", "number": "text", "requested_by": "text", "revision": "integer", "segment": "text", "ship_to": "text", "ship_to_country": "text", "state": "text", "state_before": "text", "stated_line_net": "decimal", "stated_payable": "decimal", "stated_tax": "decimal", "stated_with_tax": "decimal", "stated_without_tax": "decimal", "supplier": "text", "tax_number": "text"}, "line": {"days": "decimal", "delivered": "decimal", "description": "text", "due_date": "date", "first": "date", "item": "text", "last": "date", "number": "text", "override_by": "text", "override_reason": "text", "override_time": "text", "pack": "decimal", "price_base": "decimal", "price_override": "decimal", "quantity": "decimal", "state": "text", "stated_net": "decimal", "tax_category": "text", "unit": "text", "unit_cost": "decimal", "unit_price": "decimal"}, "total": {"allowances": "decimal", "charges": "decimal", "line_net": "decimal", "payable": "decimal", "prepaid": "decimal", "rounding": "decimal", "tax": "decimal", "with_tax": "decimal", "without_tax": "decimal"}}');
CREATE INDEX orders_by_state ON orders (state);
CREATE INDEX orders_by_date ON orders (date);
CREATE INDEX orders_by_kind ON orders (kind);
CREATE INDEX orders_by_number ON orders (number);
CREATE INDEX orders_by_requested_by ON orders (requested_by);
CREATE INDEX orders_by_customer ON orders (customer);
CREATE INDEX orders_by_supplier ON orders (supplier);
CREATE INDEX changes_by_order ON change_orders (order_number);
CREATE INDEX events_by_subject ON events (subject);
CREATE INDEX lines_by_item ON order_lines (item);
CREATE VIEW "orders_approximate" AS SELECT "id", "number_key", "number", "kind", "currency", "customer", "supplier", "ship_to", "ship_to_country", "tax_number", "requested_by", "state", "state_before", "date", "revision", CAST("budget" AS REAL) AS "budget", CAST("stated_line_net" AS REAL) AS "stated_line_net", CAST("stated_without_tax" AS REAL) AS "stated_without_tax", CAST("stated_tax" AS REAL) AS "stated_tax", CAST("stated_with_tax" AS REAL) AS "stated_with_tax", CAST("stated_payable" AS REAL) AS "stated_payable", "segment", "absent", "links", "payments", "deliveries", "acknowledgements", "pending", "routine", "fingerprint", "priced_at", CAST("total_line_net" AS REAL) AS "total_line_net", CAST("total_allowances" AS REAL) AS "total_allowances", CAST("total_charges" AS REAL) AS "total_charges", CAST("total_without_tax" AS REAL) AS "total_without_tax", CAST("total_tax" AS REAL) AS "total_tax", CAST("total_with_tax" AS REAL) AS "total_with_tax", CAST("total_prepaid" AS REAL) AS "total_prepaid", CAST("total_rounding" AS REAL) AS "total_rounding", CAST("total_payable" AS REAL) AS "total_payable" FROM "orders";
CREATE VIEW "order_lines_approximate" AS SELECT "order_id", "place", "number", "item", "description", "unit", "override_reason", "override_by", "override_time", "tax_category", "state", CAST("quantity" AS REAL) AS "quantity", CAST("price_override" AS REAL) AS "price_override", CAST("price_base" AS REAL) AS "price_base", CAST("unit_price" AS REAL) AS "unit_price", CAST("stated_net" AS REAL) AS "stated_net", CAST("unit_cost" AS REAL) AS "unit_cost", CAST("delivered" AS REAL) AS "delivered", "due_date", "first", "last", CAST("days" AS REAL) AS "days", CAST("pack" AS REAL) AS "pack", "absent", CAST("figure_price" AS REAL) AS "figure_price", CAST("figure_amount" AS REAL) AS "figure_amount", CAST("figure_net" AS REAL) AS "figure_net", CAST("figure_without_tax" AS REAL) AS "figure_without_tax" FROM "order_lines";
COMMIT;
