SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
CREATE SCHEMA shop;
CREATE TABLE shop.agreed_terms (
    order_id bigint NOT NULL,
    text character varying NOT NULL COLLATE pg_catalog."C"
);
CREATE TABLE shop.baselines (
    number character varying NOT NULL COLLATE pg_catalog."C",
    text character varying NOT NULL COLLATE pg_catalog."C"
);
CREATE TABLE shop.change_orders (
    number character varying NOT NULL COLLATE pg_catalog."C",
    order_number character varying NOT NULL COLLATE pg_catalog."C",
    state character varying NOT NULL COLLATE pg_catalog."C",
    sequence bigint,
    text character varying NOT NULL COLLATE pg_catalog."C"
);
CREATE TABLE shop.events (
    number bigint NOT NULL,
    "time" character varying NOT NULL COLLATE pg_catalog."C",
    type character varying NOT NULL COLLATE pg_catalog."C",
    subject character varying NOT NULL COLLATE pg_catalog."C",
    revision bigint NOT NULL,
    by character varying NOT NULL COLLATE pg_catalog."C",
    operation character varying COLLATE pg_catalog."C",
    digest character varying NOT NULL COLLATE pg_catalog."C",
    data character varying NOT NULL COLLATE pg_catalog."C"
);
CREATE TABLE shop.job_orders (
    job character varying NOT NULL COLLATE pg_catalog."C",
    number character varying NOT NULL COLLATE pg_catalog."C",
    revision bigint NOT NULL,
    outcome character varying COLLATE pg_catalog."C",
    why character varying COLLATE pg_catalog."C"
);
CREATE TABLE shop.jobs (
    name character varying NOT NULL COLLATE pg_catalog."C",
    about character varying NOT NULL COLLATE pg_catalog."C",
    by character varying NOT NULL COLLATE pg_catalog."C",
    "time" character varying NOT NULL COLLATE pg_catalog."C"
);
CREATE TABLE shop.numbering (
    series character varying NOT NULL COLLATE pg_catalog."C",
    counter bigint NOT NULL
);
CREATE TABLE shop.order_lines (
    order_id bigint NOT NULL,
    place integer NOT NULL,
    number character varying NOT NULL COLLATE pg_catalog."C",
    item character varying COLLATE pg_catalog."C",
    description character varying COLLATE pg_catalog."C",
    unit character varying COLLATE pg_catalog."C",
    override_reason character varying COLLATE pg_catalog."C",
    override_by character varying COLLATE pg_catalog."C",
    override_time character varying COLLATE pg_catalog."C",
    tax_category character varying COLLATE pg_catalog."C",
    state character varying COLLATE pg_catalog."C",
    quantity numeric,
    price_override numeric,
    price_base numeric,
    unit_price numeric,
    stated_net numeric,
    unit_cost numeric,
    delivered numeric,
    due_date date,
    absent character varying NOT NULL COLLATE pg_catalog."C",
    figure_price numeric,
    figure_amount numeric,
    figure_net numeric,
    figure_without_tax numeric,
    figure_vat numeric,
    figure_tax numeric,
    figure_with_tax numeric,
    CONSTRAINT order_lines_delivered_exact CHECK (((delivered > '-Infinity'::numeric) AND (delivered < 'Infinity'::numeric))),
    CONSTRAINT order_lines_price_base_exact CHECK (((price_base > '-Infinity'::numeric) AND (price_base < 'Infinity'::numeric))),
    CONSTRAINT order_lines_price_override_exact CHECK (((price_override > '-Infinity'::numeric) AND (price_override < 'Infinity'::numeric))),
    CONSTRAINT order_lines_quantity_exact CHECK (((quantity > '-Infinity'::numeric) AND (quantity < 'Infinity'::numeric))),
    CONSTRAINT order_lines_stated_net_exact CHECK (((stated_net > '-Infinity'::numeric) AND (stated_net < 'Infinity'::numeric))),
    CONSTRAINT order_lines_unit_cost_exact CHECK (((unit_cost > '-Infinity'::numeric) AND (unit_cost < 'Infinity'::numeric))),
    CONSTRAINT order_lines_unit_price_exact CHECK (((unit_price > '-Infinity'::numeric) AND (unit_price < 'Infinity'::numeric)))
);
CREATE TABLE shop.order_taxes (
    order_id bigint NOT NULL,
    place integer NOT NULL,
    step character varying NOT NULL COLLATE pg_catalog."C",
    category character varying COLLATE pg_catalog."C",
    rate numeric,
    taxable numeric,
    tax numeric,
    reason character varying COLLATE pg_catalog."C"
);
CREATE TABLE shop.orders (
    id bigint NOT NULL,
    number_key character varying NOT NULL COLLATE pg_catalog."C",
    number character varying COLLATE pg_catalog."C",
    kind character varying COLLATE pg_catalog."C",
    currency character varying COLLATE pg_catalog."C",
    customer character varying COLLATE pg_catalog."C",
    supplier character varying COLLATE pg_catalog."C",
    ship_to character varying COLLATE pg_catalog."C",
    ship_to_country character varying COLLATE pg_catalog."C",
    tax_number character varying COLLATE pg_catalog."C",
    requested_by character varying COLLATE pg_catalog."C",
    state character varying COLLATE pg_catalog."C",
    date date,
    revision bigint,
    budget numeric,
    stated_line_net numeric,
    stated_without_tax numeric,
    stated_tax numeric,
    stated_with_tax numeric,
    stated_payable numeric,
    absent character varying NOT NULL COLLATE pg_catalog."C",
    links character varying COLLATE pg_catalog."C",
    payments character varying COLLATE pg_catalog."C",
    deliveries character varying COLLATE pg_catalog."C",
    acknowledgements character varying COLLATE pg_catalog."C",
    pending character varying COLLATE pg_catalog."C",
    routine character varying COLLATE pg_catalog."C",
    fingerprint character varying COLLATE pg_catalog."C",
    priced_at timestamp with time zone,
    total_line_net numeric,
    total_allowances numeric,
    total_charges numeric,
    total_without_tax numeric,
    total_tax numeric,
    total_with_tax numeric,
    total_prepaid numeric,
    total_rounding numeric,
    total_payable numeric,
    CONSTRAINT orders_budget_exact CHECK (((budget > '-Infinity'::numeric) AND (budget < 'Infinity'::numeric))),
    CONSTRAINT orders_number CHECK ((number IS NOT NULL)),
    CONSTRAINT orders_stated_line_net_exact CHECK (((stated_line_net > '-Infinity'::numeric) AND (stated_line_net < 'Infinity'::numeric))),
    CONSTRAINT orders_stated_payable_exact CHECK (((stated_payable > '-Infinity'::numeric) AND (stated_payable < 'Infinity'::numeric))),
    CONSTRAINT orders_stated_tax_exact CHECK (((stated_tax > '-Infinity'::numeric) AND (stated_tax < 'Infinity'::numeric))),
    CONSTRAINT orders_stated_with_tax_exact CHECK (((stated_with_tax > '-Infinity'::numeric) AND (stated_with_tax < 'Infinity'::numeric))),
    CONSTRAINT orders_stated_without_tax_exact CHECK (((stated_without_tax > '-Infinity'::numeric) AND (stated_without_tax < 'Infinity'::numeric)))
);
CREATE SEQUENCE shop.orders_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
ALTER SEQUENCE shop.orders_id_seq OWNED BY shop.orders.id;
CREATE TABLE shop.store (
    version integer NOT NULL,
    uuid character varying NOT NULL COLLATE pg_catalog."C",
    last_event bigint NOT NULL,
    first_event bigint NOT NULL,
    fields character varying NOT NULL COLLATE pg_catalog."C"
);
ALTER TABLE ONLY shop.orders ALTER COLUMN id SET DEFAULT nextval('shop.orders_id_seq'::regclass);
INSERT INTO shop.agreed_terms VALUES (4, '[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"D-C1"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"25","price":"10","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"line_amount":"100","price":"100","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
INSERT INTO shop.agreed_terms VALUES (5, '[{"answers":{},"basis":{},"digest":"60b6f1bdf0ae8f158d1b6c3c8edecaf3687dfd1e5132af4627d0a4ecd94ce7af","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"D-C1"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"35","price":"10","without_tax":"35"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]');
INSERT INTO shop.baselines VALUES ('D-C1', '{"document":{"budget":"500","currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"2.5"},{"item":"B","number":"20","quantity":"1"}],"number":"D","revision":"1","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"25","line_amount":"25","net":"25","price":"10","tax":"5.25","vat":"5.25","with_tax":"30.25","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"100","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"D","parts":["D"],"revision":"1","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO shop.baselines VALUES ('D-C2', '{"document":{"budget":"500","currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"6"},{"item":"B","number":"20","quantity":"1"}],"links":[{"kind":"supplement","number":"D-S1"},{"kind":"change","number":"D-C1"}],"number":"D","revision":"2","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"9ea82173514a7b9acfaff32c4fac57ff3d76d1cc5012a97192c264581655768e","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","settled":"combined"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"line_amount":"60","price":"10","without_tax":"60"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"line_amount":"100","price":"100","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"D","parts":["D","D-S1"],"revision":"2","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO shop.baselines VALUES ('C-C1', '{"document":{"currency":"EUR","date":"2026-03-02","kind":"sales","lines":[{"item":"A","number":"10","quantity":"2.5"},{"item":"B","number":"20","quantity":"1"}],"number":"C","revision":"1","state":"confirmed","terms":[{"answers":{},"basis":{},"digest":"e539369dd7447881acfb235facb3af89b5e09f71b7e4e253170169d16f66f9d6","fields":["header.currency","line.item","line.price_base","line.price_override","line.quantity"],"form":2,"frozen":true,"line":"","rows":{},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"},{"answers":{"item.price":"10"},"basis":{"item":"A","unit":null},"figures":{"amount":"25","line_amount":"25","net":"25","price":"10","tax":"5.25","vat":"5.25","with_tax":"30.25","without_tax":"25"},"line":"10","rows":{"item":"row 2"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}},{"answers":{"item.price":"100"},"basis":{"item":"B","unit":null},"figures":{"amount":"100","line_amount":"100","net":"100","price":"100","tax":"21","vat":"21","with_tax":"121","without_tax":"100"},"line":"20","rows":{"item":"row 3"},"rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153","taxes":{"vat":{"category":null,"percent":"21","reason":null}}}]},"number":"C","parts":["C"],"revision":"1","rulebook":"3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153"}');
INSERT INTO shop.change_orders VALUES ('D-C1', 'D', 'approved', 1, '{
  "number": "D-C1",
  "order": "D",
  "state": "approved",
  "reason": "more",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T18:10:41+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T18:10:41+00:00"
    },
    {
      "action": "approved",
      "by": "Ben",
      "time": "2026-12-01T18:10:41+00:00"
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
INSERT INTO shop.change_orders VALUES ('D-C2', 'D', 'submitted', NULL, '{
  "number": "D-C2",
  "order": "D",
  "state": "submitted",
  "reason": "less",
  "requested_by": "",
  "opened_by": "Ada",
  "opened": "2026-12-01T18:10:41+00:00",
  "history": [
    {
      "action": "submitted",
      "by": "Ada",
      "time": "2026-12-01T18:10:41+00:00"
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
INSERT INTO shop.change_orders VALUES ('C-C1', 'C', 'draft', NULL, '{
  "number": "C-C1",
  "order": "C",
  "state": "draft",
  "reason": "later",
  "requested_by": "",
  "opened_by": "Cleo",
  "opened": "2026-12-01T18:10:41+00:00",
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
INSERT INTO shop.events VALUES (1, '2026-12-01T18:10:41.071+00:00', 'order.created', 'A', 1, 'Ada', 'x', 'c05af464673790ee2aacc7cd21706ef19268626edfb34b6d7da89bdba2f3fec0', '{"changes": [{"line": "", "field": "number", "from": null, "to": "A"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}], "reason": "by phone"}');
INSERT INTO shop.events VALUES (2, '2026-12-01T18:10:41.071+00:00', 'order.created', 'B', 1, 'Ada', 'x (2)', 'c05af464673790ee2aacc7cd21706ef19268626edfb34b6d7da89bdba2f3fec0', '{"changes": [{"line": "", "field": "number", "from": null, "to": "B"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}], "reason": "by phone"}');
INSERT INTO shop.events VALUES (3, '2026-12-01T18:10:41.117+00:00', 'order.created', 'C', 1, 'Ada', 'x (3)', '0a8acfe6f57a7376a25bff0f333e738ffeb8a0bf859812c38fe1f0d47cd57d12', '{"changes": [{"line": "", "field": "number", "from": null, "to": "C"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}]}');
INSERT INTO shop.events VALUES (4, '2026-12-01T18:10:41.145+00:00', 'order.created', 'D', 1, 'Ada', NULL, '', '{"changes": [{"line": "", "field": "number", "from": null, "to": "D"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "budget", "from": null, "to": "500"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "quantity", "from": null, "to": "2.5"}, {"line": "20", "field": "number", "from": null, "to": "20"}, {"line": "20", "field": "item", "from": null, "to": "B"}, {"line": "20", "field": "quantity", "from": null, "to": "1"}]}');
INSERT INTO shop.events VALUES (5, '2026-12-01T18:10:41.214+00:00', 'order.changed', 'A', 2, 'Ben', NULL, '', '{"changes": [{"line": "10", "field": "quantity", "from": "2.5", "to": "4"}]}');
INSERT INTO shop.events VALUES (6, '2026-12-01T18:10:41.253+00:00', 'change.opened', 'D-C1', 0, 'Ada', NULL, '', '{"order": "D", "reason": "more"}');
INSERT INTO shop.events VALUES (7, '2026-12-01T18:10:41.273+00:00', 'change.worked', 'D-C1', 0, 'Ada', NULL, '', '{"order": "D"}');
INSERT INTO shop.events VALUES (8, '2026-12-01T18:10:41.297+00:00', 'change.submitted', 'D-C1', 0, 'Ada', NULL, '', '{"order": "D"}');
INSERT INTO shop.events VALUES (9, '2026-12-01T18:10:41.363+00:00', 'change.approved', 'D-C1', 0, 'Ben', NULL, '', '{"order": "D"}');
INSERT INTO shop.events VALUES (10, '2026-12-01T18:10:41.363+00:00', 'order.changed', 'D', 2, 'Ben', NULL, '', '{"changes": [{"line": "", "field": "links", "from": null, "to": [{"kind": "supplement", "number": "D-S1"}, {"kind": "change", "number": "D-C1"}]}], "reason": "change order D-C1"}');
INSERT INTO shop.events VALUES (11, '2026-12-01T18:10:41.363+00:00', 'order.created', 'D-S1', 0, 'Ben', NULL, '', '{"changes": [{"line": "", "field": "number", "from": null, "to": "D-S1"}, {"line": "", "field": "currency", "from": null, "to": "EUR"}, {"line": "", "field": "date", "from": null, "to": "2026-03-02"}, {"line": "", "field": "kind", "from": null, "to": "sales"}, {"line": "", "field": "state", "from": null, "to": "confirmed"}, {"line": "", "field": "links", "from": null, "to": [{"kind": "original", "number": "D"}, {"kind": "change", "number": "D-C1"}]}, {"line": "10", "field": "item", "from": null, "to": "A"}, {"line": "10", "field": "number", "from": null, "to": "10"}, {"line": "10", "field": "quantity", "from": null, "to": "3.5"}], "reason": "change order D-C1"}');
INSERT INTO shop.events VALUES (12, '2026-12-01T18:10:41.390+00:00', 'change.opened', 'D-C2', 0, 'Ada', NULL, '', '{"order": "D", "reason": "less"}');
INSERT INTO shop.events VALUES (13, '2026-12-01T18:10:41.403+00:00', 'change.worked', 'D-C2', 0, 'Ada', NULL, '', '{"order": "D"}');
INSERT INTO shop.events VALUES (14, '2026-12-01T18:10:41.424+00:00', 'change.submitted', 'D-C2', 0, 'Ada', NULL, '', '{"order": "D"}');
INSERT INTO shop.events VALUES (15, '2026-12-01T18:10:41.446+00:00', 'change.opened', 'C-C1', 0, 'Cleo', NULL, '', '{"order": "C", "reason": "later"}');
INSERT INTO shop.events VALUES (16, '2026-12-01T18:10:41.505+00:00', 'order.changed', 'A', 3, 'Cleo', 'spring (A)', '', '{"changes": [{"line": "", "field": "requested_by", "from": null, "to": "Dora"}]}');
INSERT INTO shop.events VALUES (17, '2026-12-01T18:10:41.505+00:00', 'order.changed', 'B', 2, 'Cleo', 'spring (B)', '', '{"changes": [{"line": "", "field": "requested_by", "from": null, "to": "Dora"}]}');
INSERT INTO shop.job_orders VALUES ('spring', 'A', 2, 'done', '');
INSERT INTO shop.job_orders VALUES ('spring', 'B', 1, 'done', '');
INSERT INTO shop.jobs VALUES ('spring', '{"arguments": {"fields": {"header.requested_by": "Dora"}}, "operation": "set", "reason": "", "rulebook": "3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153", "selection": {}, "where": "number == ''A'' or number == ''B''"}', 'Cleo', '2026-12-01T18:10:41.458+00:00');
INSERT INTO shop.order_lines VALUES (3, 0, '10', 'A', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 2.5, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 10, 25, 25, 25, 5.25, 5.25, 30.25);
INSERT INTO shop.order_lines VALUES (3, 1, '20', 'B', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 1, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 100, 100, 100, 100, 21, 21, 121);
INSERT INTO shop.order_lines VALUES (4, 0, '10', 'A', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 2.5, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 10, 25, 25, 25, 5.25, 5.25, 30.25);
INSERT INTO shop.order_lines VALUES (4, 1, '20', 'B', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 1, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 100, 100, 100, 100, 21, 21, 121);
INSERT INTO shop.order_lines VALUES (5, 0, '10', 'A', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 3.5, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 10, 35, 35, 35, 7.35, 7.35, 42.35);
INSERT INTO shop.order_lines VALUES (1, 0, '10', 'A', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 4, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 10, 40, 40, 40, 8.4, 8.4, 48.4);
INSERT INTO shop.order_lines VALUES (1, 1, '20', 'B', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 1, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 100, 100, 100, 100, 21, 21, 121);
INSERT INTO shop.order_lines VALUES (2, 0, '10', 'A', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 2.5, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 10, 25, 25, 25, 5.25, 5.25, 30.25);
INSERT INTO shop.order_lines VALUES (2, 1, '20', 'B', NULL, NULL, NULL, NULL, NULL, NULL, NULL, 1, NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', 100, 100, 100, 100, 21, 21, 121);
INSERT INTO shop.order_taxes VALUES (3, 0, 'vat', NULL, 21, 125.00, 26.25, NULL);
INSERT INTO shop.order_taxes VALUES (4, 0, 'vat', NULL, 21, 125.00, 26.25, NULL);
INSERT INTO shop.order_taxes VALUES (5, 0, 'vat', NULL, 21, 35.00, 7.35, NULL);
INSERT INTO shop.order_taxes VALUES (1, 0, 'vat', NULL, 21, 140.00, 29.40, NULL);
INSERT INTO shop.order_taxes VALUES (2, 0, 'vat', NULL, 21, 125.00, 26.25, NULL);
INSERT INTO shop.orders VALUES (3, 'c', 'C', 'sales', 'EUR', NULL, NULL, NULL, NULL, NULL, NULL, 'confirmed', '2026-03-02', 1, NULL, NULL, NULL, NULL, NULL, NULL, '*', NULL, NULL, NULL, NULL, NULL, 'sales', '3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153', '2026-12-01 18:10:41.099269+00', 125, 0, 0, 125, 26.25, 151.25, 0, 0, 151.25);
INSERT INTO shop.orders VALUES (5, 'd-s1', 'D-S1', 'sales', 'EUR', NULL, NULL, NULL, NULL, NULL, NULL, 'confirmed', '2026-03-02', NULL, NULL, NULL, NULL, NULL, NULL, NULL, '*', '[{"kind":"original","number":"D"},{"kind":"change","number":"D-C1"}]', NULL, NULL, NULL, NULL, 'sales', '3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153', '2026-12-01 18:10:41.341648+00', 35, 0, 0, 35, 7.35, 42.35, 0, 0, 42.35);
INSERT INTO shop.orders VALUES (4, 'd', 'D', 'sales', 'EUR', NULL, NULL, NULL, NULL, NULL, NULL, 'confirmed', '2026-03-02', 2, 500, NULL, NULL, NULL, NULL, NULL, '*', '[{"kind":"supplement","number":"D-S1"},{"kind":"change","number":"D-C1"}]', NULL, NULL, NULL, NULL, 'sales', '3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153', '2026-12-01 18:10:41.341648+00', 125, 0, 0, 125, 26.25, 151.25, 0, 0, 151.25);
INSERT INTO shop.orders VALUES (1, 'a', 'A', 'sales', 'EUR', NULL, NULL, NULL, NULL, NULL, 'Dora', NULL, '2026-03-02', 3, NULL, NULL, NULL, NULL, NULL, NULL, '*', NULL, NULL, NULL, NULL, NULL, 'sales', '3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153', '2026-12-01 18:10:41.484948+00', 140, 0, 0, 140, 29.4, 169.4, 0, 0, 169.4);
INSERT INTO shop.orders VALUES (2, 'b', 'B', 'sales', 'EUR', NULL, NULL, NULL, NULL, NULL, 'Dora', NULL, '2026-03-02', 2, NULL, NULL, NULL, NULL, NULL, NULL, '*', NULL, NULL, NULL, NULL, NULL, 'sales', '3:9fd23b776164847979adbdd83d94d7b211fbd4b1f56976bad49eb658190f6153', '2026-12-01 18:10:41.484948+00', 125, 0, 0, 125, 26.25, 151.25, 0, 0, 151.25);
INSERT INTO shop.store VALUES (1, '1b665188-dcd1-4467-b17f-83779c07a2d6', 17, 1, '{"figure": {"amount": "decimal", "net": "decimal", "price": "decimal", "tax": "decimal", "vat": "decimal", "with_tax": "decimal", "without_tax": "decimal"}, "header": {"budget": "decimal", "currency": "text", "customer": "text", "date": "date", "kind": "text", "number": "text", "requested_by": "text", "revision": "integer", "ship_to": "text", "ship_to_country": "text", "state": "text", "stated_line_net": "decimal", "stated_payable": "decimal", "stated_tax": "decimal", "stated_with_tax": "decimal", "stated_without_tax": "decimal", "supplier": "text", "tax_number": "text"}, "line": {"delivered": "decimal", "description": "text", "due_date": "date", "item": "text", "number": "text", "override_by": "text", "override_reason": "text", "override_time": "text", "price_base": "decimal", "price_override": "decimal", "quantity": "decimal", "state": "text", "stated_net": "decimal", "tax_category": "text", "unit": "text", "unit_cost": "decimal", "unit_price": "decimal"}, "total": {"allowances": "decimal", "charges": "decimal", "line_net": "decimal", "payable": "decimal", "prepaid": "decimal", "rounding": "decimal", "tax": "decimal", "with_tax": "decimal", "without_tax": "decimal"}}');
SELECT pg_catalog.setval('shop.orders_id_seq', 5, true);
ALTER TABLE ONLY shop.agreed_terms
    ADD CONSTRAINT agreed_terms_pkey PRIMARY KEY (order_id);
ALTER TABLE ONLY shop.baselines
    ADD CONSTRAINT baselines_pkey PRIMARY KEY (number);
ALTER TABLE ONLY shop.change_orders
    ADD CONSTRAINT change_orders_pkey PRIMARY KEY (number);
ALTER TABLE ONLY shop.events
    ADD CONSTRAINT events_operation_key UNIQUE (operation);
ALTER TABLE ONLY shop.events
    ADD CONSTRAINT events_pkey PRIMARY KEY (number);
ALTER TABLE ONLY shop.job_orders
    ADD CONSTRAINT job_orders_pkey PRIMARY KEY (job, number);
ALTER TABLE ONLY shop.jobs
    ADD CONSTRAINT jobs_pkey PRIMARY KEY (name);
ALTER TABLE ONLY shop.numbering
    ADD CONSTRAINT numbering_pkey PRIMARY KEY (series);
ALTER TABLE ONLY shop.order_lines
    ADD CONSTRAINT order_lines_pkey PRIMARY KEY (order_id, number);
ALTER TABLE ONLY shop.order_taxes
    ADD CONSTRAINT order_taxes_pkey PRIMARY KEY (order_id, place);
ALTER TABLE ONLY shop.orders
    ADD CONSTRAINT orders_number_key_key UNIQUE (number_key);
ALTER TABLE ONLY shop.orders
    ADD CONSTRAINT orders_pkey PRIMARY KEY (id);
CREATE INDEX changes_by_order ON shop.change_orders USING btree (order_number);
CREATE INDEX events_by_subject ON shop.events USING btree (subject);
CREATE INDEX lines_by_item ON shop.order_lines USING btree (item);
CREATE INDEX orders_by_customer ON shop.orders USING btree (customer);
CREATE INDEX orders_by_date ON shop.orders USING btree (date);
CREATE INDEX orders_by_kind ON shop.orders USING btree (kind);
CREATE INDEX orders_by_number ON shop.orders USING btree (number);
CREATE INDEX orders_by_requested_by ON shop.orders USING btree (requested_by);
CREATE INDEX orders_by_state ON shop.orders USING btree (state);
CREATE INDEX orders_by_supplier ON shop.orders USING btree (supplier);
ALTER TABLE ONLY shop.agreed_terms
    ADD CONSTRAINT agreed_terms_order_id_fkey FOREIGN KEY (order_id) REFERENCES shop.orders(id);
ALTER TABLE ONLY shop.job_orders
    ADD CONSTRAINT job_orders_job_fkey FOREIGN KEY (job) REFERENCES shop.jobs(name);
ALTER TABLE ONLY shop.order_lines
    ADD CONSTRAINT order_lines_order_id_fkey FOREIGN KEY (order_id) REFERENCES shop.orders(id);
ALTER TABLE ONLY shop.order_taxes
    ADD CONSTRAINT order_taxes_order_id_fkey FOREIGN KEY (order_id) REFERENCES shop.orders(id);
