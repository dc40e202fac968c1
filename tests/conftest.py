"""Settings shared by all tests."""

import os
from decimal import localcontext

import pytest
from hypothesis import HealthCheck, settings

from dokima.pricing.running import pricing

# No timed assertions: a slow machine is not a defect. `quick` is for work at the desk, `thorough` for .ci/run, `deep` for a
# night after a change of the heart.
settings.register_profile("quick", deadline=None, max_examples=20, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("thorough", parent=settings.get_profile("quick"), max_examples=60)
settings.register_profile("deep", parent=settings.get_profile("quick"), max_examples=1000)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "quick"))

UNTRACED = {"test_documents.py", "test_help.py", "test_many.py", "test_mutation.py", "test_public_face.py"}
"""Tests that walk once more through what is tested elsewhere, or do the same many times."""


@pytest.hookimpl(trylast=True)  # after Hypothesis has marked its own
def pytest_collection_modifyitems(items):
    """Tracing doubles the time of a test. Coverage is that of the worked examples; nothing else is traced."""
    for item in items:
        if item.path.name in UNTRACED or item.get_closest_marker("hypothesis") or item.get_closest_marker("long"):
            item.add_marker("no_cover")


def _adds_up(order):
    totals = order.totals
    if None in vars(totals).values():
        return
    assert totals.with_tax == totals.without_tax + totals.tax
    assert totals.payable == totals.with_tax - totals.prepaid + totals.rounding
    together = totals.line_net - totals.allowances + totals.charges
    assert together == (totals.with_tax if order.prices_include_tax else totals.without_tax)
    if len(order.lines) <= 50:
        for name in ("net", "without_tax", "tax", "with_tax"):
            parts = [line.figure(name) for line in order.lines if not line.is_parent]
            assert sum(parts) == getattr(totals, "line_net" if name == "net" else name)
        assert sum(row.tax for row in order.tax_breakdown) == totals.tax


@pytest.fixture(autouse=True, scope="session")
def identities_of_every_calculation():
    """Every calculation that any test makes is checked: lines add up to totals, and totals to each other."""
    real = pricing._put_together

    def checked(*arguments):
        calculation = real(*arguments)
        for order in calculation:
            with localcontext(prec=300):  # a sum of the largest numbers that are read, exactly
                _adds_up(order)
        return calculation

    pricing._put_together = checked
    yield checked
    pricing._put_together = real
