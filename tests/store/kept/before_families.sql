BEGIN TRANSACTION;
CREATE TABLE agreed_terms (
	order_id INTEGER NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (order_id), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
INSERT INTO "agreed_terms" VALUES(1,'[{"answers":{},"basis":{},"digest":"eaa8028f2c26cf022fddc06c3c445b7a07d6af0411dad3e88c1690b96d520470","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"10","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"1"},"basis":{"item":"C","unit":null},"figures":{"amount":"1","line_amount":"1","net":"1","price":"1","tax":"0.21","vat":"0.21","with_tax":"1.21","without_tax":"1"},"line":"20","rows":{"item":"row 4"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"100","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"30","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
INSERT INTO "agreed_terms" VALUES(2,'[{"answers":{},"basis":{},"digest":"c7add8db8ebc6374551c97e357755fffb2fe99a336ebb6ae1bec92a73236cf7a","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"10","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"1"},"basis":{"item":"C","unit":null},"figures":{"amount":"1","line_amount":"1","net":"1","price":"1","tax":"0.21","vat":"0.21","with_tax":"1.21","without_tax":"1"},"line":"20","rows":{"item":"row 4"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
INSERT INTO "agreed_terms" VALUES(3,'[{"answers":{},"basis":{},"digest":"1ed7237494ff0fbad0e6671c684c3f4a8d823b4b1c65379b162e7ebb6ad0d14d","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"O-C1"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"50","price":"10","without_tax":"50"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"1"},"basis":{"item":"C","unit":null},"figures":{"line_amount":"7","price":"1","without_tax":"7"},"line":"30","rows":{"item":"row 4"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
CREATE TABLE baselines (
	number TEXT NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "baselines" VALUES('O-C1','{"document":{"date":"2026-03-02","lines":[{"item":"A","number":"10","quantity":"10"},{"item":"C","number":"20","quantity":"1"}],"number":"O","revision":"1","state":"draft","terms":[{"answers":{},"basis":{},"digest":"c7add8db8ebc6374551c97e357755fffb2fe99a336ebb6ae1bec92a73236cf7a","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"10","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"1"},"basis":{"item":"C","unit":null},"figures":{"amount":"1","line_amount":"1","net":"1","price":"1","tax":"0.21","vat":"0.21","with_tax":"1.21","without_tax":"1"},"line":"20","rows":{"item":"row 4"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"O","parts":["O"],"revision":"1","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO "baselines" VALUES('O-C2','{"document":{"date":"2026-03-02","lines":[{"item":"A","number":"10","quantity":"15"},{"item":"C","number":"20","quantity":"1"},{"item":"B","number":"30","quantity":"8"}],"links":[{"kind":"supplement","number":"O-S1"},{"kind":"change","number":"O-C1"}],"number":"O","revision":"3","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"e812ed38c47740da1aa204c22d25e075c837a3754b8748ef9f95665be3d2cae5","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"combined"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"150","price":"10","without_tax":"150"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"1"},"basis":{"item":"C","unit":null},"figures":{"line_amount":"1","price":"1","without_tax":"1"},"line":"20","rows":{"item":"row 4"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"line_amount":"107","price":"100","without_tax":"107"},"line":"30","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"O","parts":["O","O-S1"],"revision":"3","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
CREATE TABLE change_orders (
	number TEXT NOT NULL, 
	order_number TEXT NOT NULL, 
	state TEXT NOT NULL, 
	sequence BIGINT, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "change_orders" VALUES('O-C1','O','approved',1,'{
  "number": "O-C1",
  "order": "O",
  "state": "approved",
  "reason": "more",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T13:21:48+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T13:21:48+00:00"
    },
    {
      "action": "approved",
      "by": "Ben",
      "time": "2026-12-01T13:21:48+00:00"
    }
  ],
  "settled": {
    "orders": [
      "O",
      "O-S1"
    ],
    "supplement": "O-S1",
    "tax_rounding": "0.00",
    "totals": {
      "O": {
        "without_tax": "101",
        "tax": "21.21",
        "with_tax": "122.21"
      },
      "O-S1": {
        "without_tax": "57",
        "tax": "11.97",
        "with_tax": "68.97"
      }
    },
    "found": {
      "O": {
        "without_tax": "101",
        "tax": "21.21",
        "with_tax": "122.21"
      }
    },
    "revisions": {
      "O": 1
    },
    "sequence": 1
  },
  "baseline": "36e3b252794d7d89ac5ff11f2f3ff0ec56d60f0980e6b80de37130e07798456f",
  "document": {
    "number": "O",
    "date": "2026-03-02",
    "revision": "1",
    "state": "draft",
    "terms": [
      {
        "line": "",
        "form": 2,
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {},
        "answers": {},
        "rows": {},
        "fields": [
          "header.currency",
          "line.item",
          "line.price_base",
          "line.price_override",
          "line.quantity"
        ],
        "digest": "265e654cbdabae235a7bcb49a37ab6024a59e9e76fe78aa881cd2806982e9389",
        "frozen": true
      },
      {
        "line": "10",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "A",
          "unit": null
        },
        "answers": {
          "item.price": "10"
        },
        "rows": {
          "item": "row 2"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "150",
          "price": "10",
          "vat": "31.5",
          "amount": "150",
          "net": "150",
          "without_tax": "150",
          "tax": "31.5",
          "with_tax": "181.5"
        }
      },
      {
        "line": "20",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "C",
          "unit": null
        },
        "answers": {
          "item.price": "1"
        },
        "rows": {
          "item": "row 4"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "1",
          "price": "1",
          "vat": "0.21",
          "amount": "1",
          "net": "1",
          "without_tax": "1",
          "tax": "0.21",
          "with_tax": "1.21"
        }
      },
      {
        "line": "30",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "C",
          "unit": null
        },
        "answers": {
          "item.price": "1"
        },
        "rows": {
          "item": "row 4"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "7",
          "price": "1",
          "vat": "1.47",
          "amount": "7",
          "net": "7",
          "without_tax": "7",
          "tax": "1.47",
          "with_tax": "8.47"
        }
      }
    ],
    "lines": [
      {
        "item": "A",
        "number": "10",
        "quantity": "15"
      },
      {
        "item": "C",
        "number": "20",
        "quantity": "1"
      },
      {
        "item": "C",
        "quantity": "7",
        "number": "30"
      }
    ]
  }
}
');
INSERT INTO "change_orders" VALUES('O-C2','O','submitted',NULL,'{
  "number": "O-C2",
  "order": "O",
  "state": "submitted",
  "reason": "more",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T13:21:48+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T13:21:49+00:00"
    }
  ],
  "baseline": "9f33e57723c3367d2273c6ae00fab2d59067a943be9d8d14b4957ecf1508720b",
  "document": {
    "number": "O",
    "date": "2026-03-02",
    "links": [
      {
        "kind": "supplement",
        "number": "O-S1"
      },
      {
        "kind": "change",
        "number": "O-C1"
      }
    ],
    "revision": "3",
    "state": "confirmed",
    "terms": [
      {
        "line": "",
        "form": 2,
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {},
        "answers": {},
        "rows": {},
        "fields": [
          "header.currency",
          "line.item",
          "line.price_base",
          "line.price_override",
          "line.quantity"
        ],
        "digest": "ec50d25f2b2e98a3171d12dc546c8e316a42b7ea03f06e605cc85074b6ae717e",
        "frozen": true
      },
      {
        "line": "10",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "A",
          "unit": null
        },
        "answers": {
          "item.price": "10"
        },
        "rows": {
          "item": "row 2"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "150",
          "price": "10",
          "vat": "31.5",
          "amount": "150",
          "net": "150",
          "without_tax": "150",
          "tax": "31.5",
          "with_tax": "181.5"
        }
      },
      {
        "line": "20",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "C",
          "unit": null
        },
        "answers": {
          "item.price": "1"
        },
        "rows": {
          "item": "row 4"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "2",
          "price": "1",
          "vat": "0.42",
          "amount": "2",
          "net": "2",
          "without_tax": "2",
          "tax": "0.42",
          "with_tax": "2.42"
        }
      },
      {
        "line": "30",
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "basis": {
          "item": "B",
          "unit": null
        },
        "answers": {
          "item.price": "100"
        },
        "rows": {
          "item": "row 3"
        },
        "taxes": {
          "vat": {
            "percent": "21",
            "category": null,
            "reason": null
          }
        },
        "figures": {
          "line_amount": "800",
          "price": "100",
          "vat": "168",
          "amount": "800",
          "net": "800",
          "without_tax": "800",
          "tax": "168",
          "with_tax": "968"
        }
      }
    ],
    "lines": [
      {
        "item": "A",
        "number": "10",
        "quantity": "15"
      },
      {
        "item": "C",
        "number": "20",
        "quantity": "2"
      },
      {
        "item": "B",
        "number": "30",
        "quantity": "8"
      }
    ]
  }
}
');
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
INSERT INTO "events" VALUES(1,'2026-12-01T13:21:48.613+00:00','order.created','O',1,'Ada',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "O"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "10"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "20", "field": "item", "from": null, "to": "C"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}, {"line": "20", "field": "number", "from": null, "to": "20"}]}');
INSERT INTO "events" VALUES(2,'2026-12-01T13:21:48.627+00:00','order.created','P',1,'Ada',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "P"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "10"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "20", "field": "item", "from": null, "to": "C"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}, {"line": "20", "field": "number", "from": null, "to": "20"}]}');
INSERT INTO "events" VALUES(3,'2026-12-01T13:21:48.667+00:00','change.opened','O-C1',0,'Ada',NULL,'','{"order": "O", "reason": "more"}');
INSERT INTO "events" VALUES(4,'2026-12-01T13:21:48.691+00:00','change.worked','O-C1',0,'Ada',NULL,'','{"order": "O"}');
INSERT INTO "events" VALUES(5,'2026-12-01T13:21:48.739+00:00','change.submitted','O-C1',0,'Ada',NULL,'','{"order": "O"}');
INSERT INTO "events" VALUES(6,'2026-12-01T13:21:48.866+00:00','change.approved','O-C1',0,'Ben',NULL,'','{"order": "O"}');
INSERT INTO "events" VALUES(7,'2026-12-01T13:21:48.866+00:00','order.changed','O',2,'Ben',NULL,'','{"changes": [{"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "links", "from": null, "to": [{"kind": "supplement", "number": "O-S1"}, {"kind": "change", "number": "O-C1"}]}], "reason": "change order O-C1"}');
INSERT INTO "events" VALUES(8,'2026-12-01T13:21:48.866+00:00','order.created','O-S1',0,'Ben',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "O-S1"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "links", "from": null, "to": [{"kind": "original", "number": "O"}, {"kind": "change", "number": "O-C1"}]}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "quantity", "from": null, "to": "5"}, {"line": "30", "field": "item", "from": null, "to": "C"}, {"line": "30", "field": "quantity", "from": null, "to": "7"}, {"line": "30", "field": "number", "from": null, "to": "30"}], "reason": "change order O-C1"}');
INSERT INTO "events" VALUES(9,'2026-12-01T13:21:48.920+00:00','order.changed','O',3,'Cleo',NULL,'','{"changes": [{"line": "30", "field": "item", "from": null, "to": "B"}, {"line": "30", "field": "quantity", "from": null, "to": "1"}, {"line": "30", "field": "number", "from": null, "to": "30"}]}');
INSERT INTO "events" VALUES(10,'2026-12-01T13:21:48.965+00:00','change.opened','O-C2',0,'Ada',NULL,'','{"order": "O", "reason": "more"}');
INSERT INTO "events" VALUES(11,'2026-12-01T13:21:48.998+00:00','change.worked','O-C2',0,'Ada',NULL,'','{"order": "O"}');
INSERT INTO "events" VALUES(12,'2026-12-01T13:21:49.027+00:00','change.submitted','O-C2',0,'Ada',NULL,'','{"order": "O"}');
INSERT INTO "events" VALUES(13,'2026-12-01T13:21:49.057+00:00','order.changed','P',2,'Cleo',NULL,'','{"changes": [{"line": "", "field": "state", "from": null, "to": "finished"}, {"line": "", "field": "deliveries", "from": null, "to": [{"id": "D", "state": "delivered", "line": "10", "quantity": "1"}]}, {"line": "10", "field": "delivered", "from": null, "to": "1"}]}');
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
	absent TEXT NOT NULL, 
	figure_price TEXT, 
	figure_amount TEXT, 
	figure_net TEXT, 
	figure_without_tax TEXT, 
	figure_vat TEXT, 
	figure_tax TEXT, 
	figure_with_tax TEXT, 
	PRIMARY KEY (order_id, number), 
	CONSTRAINT order_lines_quantity_digits CHECK (quantity NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_price_override_digits CHECK (price_override NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_price_base_digits CHECK (price_base NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_unit_price_digits CHECK (unit_price NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_stated_net_digits CHECK (stated_net NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_unit_cost_digits CHECK (unit_cost NOT GLOB '*[^0-9.-]*'), 
	CONSTRAINT order_lines_delivered_digits CHECK (delivered NOT GLOB '*[^0-9.-]*'), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
INSERT INTO "order_lines" VALUES(1,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'10',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(1,1,'20','C',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','1','1','1','1','0.21','0.21','1.21');
INSERT INTO "order_lines" VALUES(2,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'10',NULL,NULL,NULL,NULL,NULL,'1',NULL,'*','10','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(2,1,'20','C',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','1','1','1','1','0.21','0.21','1.21');
INSERT INTO "order_lines" VALUES(3,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'5',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','50','50','50','10.5','10.5','60.5');
INSERT INTO "order_lines" VALUES(3,1,'30','C',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'7',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','1','7','7','7','1.47','1.47','8.47');
INSERT INTO "order_lines" VALUES(1,2,'30','B',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','100','100','100','100','21','21','121');
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
INSERT INTO "order_taxes" VALUES(3,0,'vat',NULL,'21','57.00','11.97',NULL);
INSERT INTO "order_taxes" VALUES(1,0,'vat',NULL,'21','201.00','42.21',NULL);
INSERT INTO "order_taxes" VALUES(2,0,'vat',NULL,'21','101.00','21.21',NULL);
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
	date DATE, 
	revision BIGINT, 
	budget TEXT, 
	stated_line_net TEXT, 
	stated_without_tax TEXT, 
	stated_tax TEXT, 
	stated_with_tax TEXT, 
	stated_payable TEXT, 
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
INSERT INTO "orders" VALUES(1,'o','O',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'confirmed','2026-03-02',3,NULL,NULL,NULL,NULL,NULL,NULL,'*','[{"kind":"supplement","number":"O-S1"},{"kind":"change","number":"O-C1"}]',NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 13:21:48.898907','201','0','0','201','42.21','243.21','0','0','243.21');
INSERT INTO "orders" VALUES(2,'p','P',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'finished','2026-03-02',2,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,'[{"id":"D","line":"10","quantity":1,"state":"delivered"}]',NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 13:21:49.051432','101','0','0','101','21.21','122.21','0','0','122.21');
INSERT INTO "orders" VALUES(3,'o-s1','O-S1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'confirmed','2026-03-02',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','[{"kind":"original","number":"O"},{"kind":"change","number":"O-C1"}]',NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 13:21:48.833964','57','0','0','57','11.97','68.97','0','0','68.97');
CREATE TABLE store (
	version INTEGER NOT NULL, 
	uuid TEXT NOT NULL, 
	last_event BIGINT NOT NULL, 
	first_event BIGINT NOT NULL, 
	fields TEXT NOT NULL
);
INSERT INTO "store" VALUES(1,'ba24f5da-9317-465f-9039-490007c8bf03',13,1,'{"figure": {"amount": "decimal", "net": "decimal", "price": "decimal", "tax": "decimal", "vat": "decimal", "with_tax": "decimal", "without_tax": "decimal"}, "header": {"budget": "decimal", "currency": "text", "customer": "text", "date": "date", "kind": "text", "number": "text", "requested_by": "text", "revision": "integer", "ship_to": "text", "ship_to_country": "text", "state": "text", "stated_line_net": "decimal", "stated_payable": "decimal", "stated_tax": "decimal", "stated_with_tax": "decimal", "stated_without_tax": "decimal", "supplier": "text", "tax_number": "text"}, "line": {"delivered": "decimal", "description": "text", "due_date": "date", "item": "text", "number": "text", "override_by": "text", "override_reason": "text", "override_time": "text", "price_base": "decimal", "price_override": "decimal", "quantity": "decimal", "state": "text", "stated_net": "decimal", "tax_category": "text", "unit": "text", "unit_cost": "decimal", "unit_price": "decimal"}, "total": {"allowances": "decimal", "charges": "decimal", "line_net": "decimal", "payable": "decimal", "prepaid": "decimal", "rounding": "decimal", "tax": "decimal", "with_tax": "decimal", "without_tax": "decimal"}}');
CREATE INDEX orders_by_supplier ON orders (supplier);
CREATE INDEX orders_by_date ON orders (date);
CREATE INDEX orders_by_customer ON orders (customer);
CREATE INDEX orders_by_kind ON orders (kind);
CREATE INDEX orders_by_requested_by ON orders (requested_by);
CREATE INDEX orders_by_number ON orders (number);
CREATE INDEX orders_by_state ON orders (state);
CREATE INDEX changes_by_order ON change_orders (order_number);
CREATE INDEX events_by_subject ON events (subject);
CREATE INDEX lines_by_item ON order_lines (item);
CREATE VIEW "orders_approximate" AS SELECT "id", "number_key", "number", "kind", "currency", "customer", "supplier", "ship_to", "ship_to_country", "tax_number", "requested_by", "state", "date", "revision", CAST("budget" AS REAL) AS "budget", CAST("stated_line_net" AS REAL) AS "stated_line_net", CAST("stated_without_tax" AS REAL) AS "stated_without_tax", CAST("stated_tax" AS REAL) AS "stated_tax", CAST("stated_with_tax" AS REAL) AS "stated_with_tax", CAST("stated_payable" AS REAL) AS "stated_payable", "absent", "links", "payments", "deliveries", "acknowledgements", "pending", "routine", "fingerprint", "priced_at", CAST("total_line_net" AS REAL) AS "total_line_net", CAST("total_allowances" AS REAL) AS "total_allowances", CAST("total_charges" AS REAL) AS "total_charges", CAST("total_without_tax" AS REAL) AS "total_without_tax", CAST("total_tax" AS REAL) AS "total_tax", CAST("total_with_tax" AS REAL) AS "total_with_tax", CAST("total_prepaid" AS REAL) AS "total_prepaid", CAST("total_rounding" AS REAL) AS "total_rounding", CAST("total_payable" AS REAL) AS "total_payable" FROM "orders";
CREATE VIEW "order_lines_approximate" AS SELECT "order_id", "place", "number", "item", "description", "unit", "override_reason", "override_by", "override_time", "tax_category", "state", CAST("quantity" AS REAL) AS "quantity", CAST("price_override" AS REAL) AS "price_override", CAST("price_base" AS REAL) AS "price_base", CAST("unit_price" AS REAL) AS "unit_price", CAST("stated_net" AS REAL) AS "stated_net", CAST("unit_cost" AS REAL) AS "unit_cost", CAST("delivered" AS REAL) AS "delivered", "due_date", "absent", CAST("figure_price" AS REAL) AS "figure_price", CAST("figure_amount" AS REAL) AS "figure_amount", CAST("figure_net" AS REAL) AS "figure_net", CAST("figure_without_tax" AS REAL) AS "figure_without_tax", CAST("figure_vat" AS REAL) AS "figure_vat", CAST("figure_tax" AS REAL) AS "figure_tax", CAST("figure_with_tax" AS REAL) AS "figure_with_tax" FROM "order_lines";
COMMIT;
