BEGIN TRANSACTION;
CREATE TABLE agreed_terms (
	order_id INTEGER NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (order_id), 
	FOREIGN KEY(order_id) REFERENCES orders (id)
);
INSERT INTO "agreed_terms" VALUES(4,'[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"D-C1"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"25","price":"10","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"line_amount":"100","price":"100","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
INSERT INTO "agreed_terms" VALUES(5,'[{"answers":{},"basis":{},"digest":"60b6f1bdf0ae8f158d1b6c3c8edecaf3687dfd1e5132af4627d0a4ecd94ce7af","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"D-C1"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"35","price":"10","without_tax":"35"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
CREATE TABLE baselines (
	number TEXT NOT NULL, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "baselines" VALUES('D-C1','{"document":{"budget":"500","currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"2.5"},{"item":"B","number":"20","quantity":"1"}],"number":"D","revision":"1","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"25","line_amount":"25","net":"25","price":"10","tax":"5.25","vat":"5.25","with_tax":"30.25","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"100","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"D","parts":["D"],"revision":"1","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO "baselines" VALUES('D-C2','{"document":{"budget":"500","currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"6"},{"item":"B","number":"20","quantity":"1"}],"links":[{"kind":"supplement","number":"D-S1"},{"kind":"change","number":"D-C1"}],"number":"D","revision":"2","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"9ea82173514a7b9acfaff32c4fac57ff3d76d1cc5012a97192c264581655768e","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"combined"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"60","price":"10","without_tax":"60"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"line_amount":"100","price":"100","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"D","parts":["D","D-S1"],"revision":"2","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO "baselines" VALUES('C-C1','{"document":{"currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"2.5"},{"item":"B","number":"20","quantity":"1"}],"number":"C","revision":"1","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"25","line_amount":"25","net":"25","price":"10","tax":"5.25","vat":"5.25","with_tax":"30.25","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"100","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"C","parts":["C"],"revision":"1","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
CREATE TABLE change_orders (
	number TEXT NOT NULL, 
	order_number TEXT NOT NULL, 
	state TEXT NOT NULL, 
	sequence BIGINT, 
	text TEXT NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "change_orders" VALUES('D-C1','D','approved',1,'{
  "number": "D-C1",
  "order": "D",
  "state": "approved",
  "reason": "more",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T18:10:39+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T18:10:39+00:00"
    },
    {
      "action": "approved",
      "by": "Ben",
      "time": "2026-12-01T18:10:39+00:00"
    }
  ],
  "settled": {
    "orders": [
      "D",
      "D-S1"
    ],
    "supplement": "D-S1",
    "tax_rounding": "0.00",
    "totals": {
      "D": {
        "without_tax": "125",
        "tax": "26.25",
        "with_tax": "151.25"
      },
      "D-S1": {
        "without_tax": "35",
        "tax": "7.35",
        "with_tax": "42.35"
      }
    },
    "found": {
      "D": {
        "without_tax": "125",
        "tax": "26.25",
        "with_tax": "151.25"
      }
    },
    "revisions": {
      "D": 1
    },
    "sequence": 1
  },
  "baseline": "0417544f089e59682f33a0c0349acbe97dce277acbda24bd0ab93b79c41b51c7",
  "document": {
    "number": "D",
    "budget": "500",
    "currency": "EUR",
    "date": "2026-03-02",
    "kind": "sales",
    "revision": "1",
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
        "digest": "9ea82173514a7b9acfaff32c4fac57ff3d76d1cc5012a97192c264581655768e",
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
          "line_amount": "60",
          "price": "10",
          "vat": "12.6",
          "amount": "60",
          "net": "60",
          "without_tax": "60",
          "tax": "12.6",
          "with_tax": "72.6"
        }
      },
      {
        "line": "20",
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
          "line_amount": "100",
          "price": "100",
          "vat": "21",
          "amount": "100",
          "net": "100",
          "without_tax": "100",
          "tax": "21",
          "with_tax": "121"
        }
      }
    ],
    "lines": [
      {
        "item": "A",
        "number": "10",
        "quantity": "6"
      },
      {
        "item": "B",
        "number": "20",
        "quantity": "1"
      }
    ]
  }
}
');
INSERT INTO "change_orders" VALUES('D-C2','D','submitted',NULL,'{
  "number": "D-C2",
  "order": "D",
  "state": "submitted",
  "reason": "less",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T18:10:39+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T18:10:39+00:00"
    }
  ],
  "baseline": "92a814c98bc476e52ac653d170905f4b088131e10cc97fc209fb94101f3bd6f5",
  "document": {
    "number": "D",
    "budget": "500",
    "currency": "EUR",
    "date": "2026-03-02",
    "kind": "sales",
    "links": [
      {
        "kind": "supplement",
        "number": "D-S1"
      },
      {
        "kind": "change",
        "number": "D-C1"
      }
    ],
    "revision": "2",
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
        "digest": "0e09d3f4fa92b1916430989064490f4fcefe47bf709dc1799be80b08b196ab2c",
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
          "line_amount": "60",
          "price": "10",
          "vat": "12.6",
          "amount": "60",
          "net": "60",
          "without_tax": "60",
          "tax": "12.6",
          "with_tax": "72.6"
        }
      },
      {
        "line": "20",
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
          "line_amount": "300",
          "price": "100",
          "vat": "63",
          "amount": "300",
          "net": "300",
          "without_tax": "300",
          "tax": "63",
          "with_tax": "363"
        }
      }
    ],
    "lines": [
      {
        "item": "A",
        "number": "10",
        "quantity": "6"
      },
      {
        "item": "B",
        "number": "20",
        "quantity": "3"
      }
    ]
  }
}
');
INSERT INTO "change_orders" VALUES('C-C1','C','draft',NULL,'{
  "number": "C-C1",
  "order": "C",
  "state": "draft",
  "reason": "later",
  "requested_by": "",
  "opened_by": "Cleo",
  "opened": "2026-12-01T18:10:39+00:00",
  "baseline": "e04d47c177eb190c70bbe1e88e469cf6f25b718cd7bfd67cb0e9f6c1b7693713",
  "document": {
    "number": "C",
    "currency": "EUR",
    "date": "2026-03-02",
    "kind": "sales",
    "revision": "1",
    "state": "confirmed",
    "terms": [
      {
        "answers": {},
        "basis": {},
        "digest": "e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6",
        "fields": [
          "header.currency",
          "line.item",
          "line.price_base",
          "line.price_override",
          "line.quantity"
        ],
        "form": 2,
        "frozen": true,
        "line": "",
        "rows": {},
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"
      },
      {
        "answers": {
          "item.price": "10"
        },
        "basis": {
          "item": "A",
          "unit": null
        },
        "figures": {
          "amount": "25",
          "line_amount": "25",
          "net": "25",
          "price": "10",
          "tax": "5.25",
          "vat": "5.25",
          "with_tax": "30.25",
          "without_tax": "25"
        },
        "line": "10",
        "rows": {
          "item": "row 2"
        },
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "taxes": {
          "vat": {
            "category": null,
            "percent": "21",
            "reason": null
          }
        }
      },
      {
        "answers": {
          "item.price": "100"
        },
        "basis": {
          "item": "B",
          "unit": null
        },
        "figures": {
          "amount": "100",
          "line_amount": "100",
          "net": "100",
          "price": "100",
          "tax": "21",
          "vat": "21",
          "with_tax": "121",
          "without_tax": "100"
        },
        "line": "20",
        "rows": {
          "item": "row 3"
        },
        "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153",
        "taxes": {
          "vat": {
            "category": null,
            "percent": "21",
            "reason": null
          }
        }
      }
    ],
    "lines": [
      {
        "item": "A",
        "number": "10",
        "quantity": "2.5"
      },
      {
        "item": "B",
        "number": "20",
        "quantity": "1"
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
INSERT INTO "events" VALUES(1,'2026-12-01T18:10:39.036+00:00','order.created','A',1,'Ada','x','c05af464673790ee2aacc7cd21706ef19268626edfb34b6d7da89bdba2f3fec0','{"changes": [{"line": "", "field": "number", "from": null, "to": "A"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}], "reason": "by phone"}');
INSERT INTO "events" VALUES(2,'2026-12-01T18:10:39.036+00:00','order.created','B',1,'Ada','x (2)','c05af464673790ee2aacc7cd21706ef19268626edfb34b6d7da89bdba2f3fec0','{"changes": [{"line": "", "field": "number", "from": null, "to": "B"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}], "reason": "by phone"}');
INSERT INTO "events" VALUES(3,'2026-12-01T18:10:39.048+00:00','order.created','C',1,'Ada','x (3)','0a8acfe6f57a7376a25bff0f333e738ffeb8a0bf859812c38fe1f0d47cd57d12','{"changes": [{"line": "", "field": "number", "from": null, "to": "C"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}]}');
INSERT INTO "events" VALUES(4,'2026-12-01T18:10:39.059+00:00','order.created','D',1,'Ada',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "D"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "budget", "from": null, "to": "500"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}]}');
INSERT INTO "events" VALUES(5,'2026-12-01T18:10:39.087+00:00','order.changed','A',2,'Ben',NULL,'','{"changes": [{"line": "10", "field": "quantity", "from": "2.5", "to": "4"}]}');
INSERT INTO "events" VALUES(6,'2026-12-01T18:10:39.102+00:00','change.opened','D-C1',0,'Ada',NULL,'','{"order": "D", "reason": "more"}');
INSERT INTO "events" VALUES(7,'2026-12-01T18:10:39.112+00:00','change.worked','D-C1',0,'Ada',NULL,'','{"order": "D"}');
INSERT INTO "events" VALUES(8,'2026-12-01T18:10:39.129+00:00','change.submitted','D-C1',0,'Ada',NULL,'','{"order": "D"}');
INSERT INTO "events" VALUES(9,'2026-12-01T18:10:39.176+00:00','change.approved','D-C1',0,'Ben',NULL,'','{"order": "D"}');
INSERT INTO "events" VALUES(10,'2026-12-01T18:10:39.176+00:00','order.changed','D',2,'Ben',NULL,'','{"changes": [{"line": "", "field": "links", "from": null, "to": [{"kind": "supplement", "number": "D-S1"}, {"kind": "change", "number": "D-C1"}]}], "reason": "change order D-C1"}');
INSERT INTO "events" VALUES(11,'2026-12-01T18:10:39.176+00:00','order.created','D-S1',0,'Ben',NULL,'','{"changes": [{"line": "", "field": "number", "from": null, "to": "D-S1"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "links", "from": null, "to": [{"kind": "original", "number": "D"}, {"kind": "change", "number": "D-C1"}]}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "quantity", "from": null, "to": "3.5"}], "reason": "change order D-C1"}');
INSERT INTO "events" VALUES(12,'2026-12-01T18:10:39.194+00:00','change.opened','D-C2',0,'Ada',NULL,'','{"order": "D", "reason": "less"}');
INSERT INTO "events" VALUES(13,'2026-12-01T18:10:39.207+00:00','change.worked','D-C2',0,'Ada',NULL,'','{"order": "D"}');
INSERT INTO "events" VALUES(14,'2026-12-01T18:10:39.225+00:00','change.submitted','D-C2',0,'Ada',NULL,'','{"order": "D"}');
INSERT INTO "events" VALUES(15,'2026-12-01T18:10:39.241+00:00','change.opened','C-C1',0,'Cleo',NULL,'','{"order": "C", "reason": "later"}');
INSERT INTO "events" VALUES(16,'2026-12-01T18:10:39.279+00:00','order.changed','A',3,'Cleo','spring (A)','','{"changes": [{"line": "", "field": "requested_by", "from": null, "to": "Dora"}]}');
INSERT INTO "events" VALUES(17,'2026-12-01T18:10:39.279+00:00','order.changed','B',2,'Cleo','spring (B)','','{"changes": [{"line": "", "field": "requested_by", "from": null, "to": "Dora"}]}');
CREATE TABLE job_orders (
	job TEXT NOT NULL, 
	number TEXT NOT NULL, 
	revision BIGINT NOT NULL, 
	outcome TEXT, 
	why TEXT, 
	PRIMARY KEY (job, number), 
	FOREIGN KEY(job) REFERENCES jobs (name)
);
INSERT INTO "job_orders" VALUES('spring','A',2,'done','');
INSERT INTO "job_orders" VALUES('spring','B',1,'done','');
CREATE TABLE jobs (
	name TEXT NOT NULL, 
	about TEXT NOT NULL, 
	"by" TEXT NOT NULL, 
	time TEXT NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "jobs" VALUES('spring','{"arguments": {"fields": {"header.requested_by": "Dora"}}, "operation": "set", "reason": "", "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153", "selection": {}, "where": "number == ''A'' or number == ''B''"}','Cleo','2026-12-01T18:10:39.250+00:00');
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
INSERT INTO "order_lines" VALUES(1,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'4',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','40','40','40','8.4','8.4','48.4');
INSERT INTO "order_lines" VALUES(1,1,'20','B',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','100','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(2,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2.5',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','25','25','25','5.25','5.25','30.25');
INSERT INTO "order_lines" VALUES(2,1,'20','B',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','100','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(3,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2.5',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','25','25','25','5.25','5.25','30.25');
INSERT INTO "order_lines" VALUES(3,1,'20','B',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','100','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(4,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'2.5',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','25','25','25','5.25','5.25','30.25');
INSERT INTO "order_lines" VALUES(4,1,'20','B',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'1',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','100','100','100','100','21','21','121');
INSERT INTO "order_lines" VALUES(5,0,'10','A',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'3.5',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','10','35','35','35','7.35','7.35','42.35');
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
INSERT INTO "order_taxes" VALUES(3,0,'vat',NULL,'21','125.00','26.25',NULL);
INSERT INTO "order_taxes" VALUES(4,0,'vat',NULL,'21','125.00','26.25',NULL);
INSERT INTO "order_taxes" VALUES(5,0,'vat',NULL,'21','35.00','7.35',NULL);
INSERT INTO "order_taxes" VALUES(1,0,'vat',NULL,'21','140.00','29.40',NULL);
INSERT INTO "order_taxes" VALUES(2,0,'vat',NULL,'21','125.00','26.25',NULL);
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
INSERT INTO "orders" VALUES(1,'a','A','sales','EUR',NULL,NULL,NULL,NULL,NULL,'Dora',NULL,'2026-03-02',3,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 18:10:39.268092','140','0','0','140','29.4','169.4','0','0','169.4');
INSERT INTO "orders" VALUES(2,'b','B','sales','EUR',NULL,NULL,NULL,NULL,NULL,'Dora',NULL,'2026-03-02',2,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 18:10:39.268092','125','0','0','125','26.25','151.25','0','0','151.25');
INSERT INTO "orders" VALUES(3,'c','C','sales','EUR',NULL,NULL,NULL,NULL,NULL,NULL,'confirmed','2026-03-02',1,NULL,NULL,NULL,NULL,NULL,NULL,'*',NULL,NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 18:10:39.043648','125','0','0','125','26.25','151.25','0','0','151.25');
INSERT INTO "orders" VALUES(4,'d','D','sales','EUR',NULL,NULL,NULL,NULL,NULL,NULL,'confirmed','2026-03-02',2,'500',NULL,NULL,NULL,NULL,NULL,'*','[{"kind":"supplement","number":"D-S1"},{"kind":"change","number":"D-C1"}]',NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 18:10:39.167196','125','0','0','125','26.25','151.25','0','0','151.25');
INSERT INTO "orders" VALUES(5,'d-s1','D-S1','sales','EUR',NULL,NULL,NULL,NULL,NULL,NULL,'confirmed','2026-03-02',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'*','[{"kind":"original","number":"D"},{"kind":"change","number":"D-C1"}]',NULL,NULL,NULL,NULL,'sales','3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153','2026-12-01 18:10:39.167196','35','0','0','35','7.35','42.35','0','0','42.35');
CREATE TABLE store (
	version INTEGER NOT NULL, 
	uuid TEXT NOT NULL, 
	last_event BIGINT NOT NULL, 
	first_event BIGINT NOT NULL, 
	fields TEXT NOT NULL
);
INSERT INTO "store" VALUES(1,'caad45d1-e8bd-427c-ab67-8dff9e565818',17,1,'{"figure": {"amount": "decimal", "net": "decimal", "price": "decimal", "tax": "decimal", "vat": "decimal", "with_tax": "decimal", "without_tax": "decimal"}, "header": {"budget": "decimal", "currency": "text", "customer": "text", "date": "date", "kind": "text", "number": "text", "requested_by": "text", "revision": "integer", "ship_to": "text", "ship_to_country": "text", "state": "text", "stated_line_net": "decimal", "stated_payable": "decimal", "stated_tax": "decimal", "stated_with_tax": "decimal", "stated_without_tax": "decimal", "supplier": "text", "tax_number": "text"}, "line": {"delivered": "decimal", "description": "text", "due_date": "date", "item": "text", "number": "text", "override_by": "text", "override_reason": "text", "override_time": "text", "price_base": "decimal", "price_override": "decimal", "quantity": "decimal", "state": "text", "stated_net": "decimal", "tax_category": "text", "unit": "text", "unit_cost": "decimal", "unit_price": "decimal"}, "total": {"allowances": "decimal", "charges": "decimal", "line_net": "decimal", "payable": "decimal", "prepaid": "decimal", "rounding": "decimal", "tax": "decimal", "with_tax": "decimal", "without_tax": "decimal"}}');
CREATE INDEX orders_by_number ON orders (number);
CREATE INDEX orders_by_supplier ON orders (supplier);
CREATE INDEX orders_by_customer ON orders (customer);
CREATE INDEX orders_by_kind ON orders (kind);
CREATE INDEX orders_by_state ON orders (state);
CREATE INDEX orders_by_requested_by ON orders (requested_by);
CREATE INDEX orders_by_date ON orders (date);
CREATE INDEX changes_by_order ON change_orders (order_number);
CREATE INDEX events_by_subject ON events (subject);
CREATE INDEX lines_by_item ON order_lines (item);
CREATE VIEW "orders_approximate" AS SELECT "id", "number_key", "number", "kind", "currency", "customer", "supplier", "ship_to", "ship_to_country", "tax_number", "requested_by", "state", "date", "revision", CAST("budget" AS REAL) AS "budget", CAST("stated_line_net" AS REAL) AS "stated_line_net", CAST("stated_without_tax" AS REAL) AS "stated_without_tax", CAST("stated_tax" AS REAL) AS "stated_tax", CAST("stated_with_tax" AS REAL) AS "stated_with_tax", CAST("stated_payable" AS REAL) AS "stated_payable", "absent", "links", "payments", "deliveries", "acknowledgements", "pending", "routine", "fingerprint", "priced_at", CAST("total_line_net" AS REAL) AS "total_line_net", CAST("total_allowances" AS REAL) AS "total_allowances", CAST("total_charges" AS REAL) AS "total_charges", CAST("total_without_tax" AS REAL) AS "total_without_tax", CAST("total_tax" AS REAL) AS "total_tax", CAST("total_with_tax" AS REAL) AS "total_with_tax", CAST("total_prepaid" AS REAL) AS "total_prepaid", CAST("total_rounding" AS REAL) AS "total_rounding", CAST("total_payable" AS REAL) AS "total_payable" FROM "orders";
CREATE VIEW "order_lines_approximate" AS SELECT "order_id", "place", "number", "item", "description", "unit", "override_reason", "override_by", "override_time", "tax_category", "state", CAST("quantity" AS REAL) AS "quantity", CAST("price_override" AS REAL) AS "price_override", CAST("price_base" AS REAL) AS "price_base", CAST("unit_price" AS REAL) AS "unit_price", CAST("stated_net" AS REAL) AS "stated_net", CAST("unit_cost" AS REAL) AS "unit_cost", CAST("delivered" AS REAL) AS "delivered", "due_date", "absent", CAST("figure_price" AS REAL) AS "figure_price", CAST("figure_amount" AS REAL) AS "figure_amount", CAST("figure_net" AS REAL) AS "figure_net", CAST("figure_without_tax" AS REAL) AS "figure_without_tax", CAST("figure_vat" AS REAL) AS "figure_vat", CAST("figure_tax" AS REAL) AS "figure_tax", CAST("figure_with_tax" AS REAL) AS "figure_with_tax" FROM "order_lines";
COMMIT;
