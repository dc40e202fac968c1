"""Settings shared by all tests."""

from hypothesis import HealthCheck, settings

# No timed assertions: a slow machine is not a defect.
settings.register_profile("dokima", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("dokima")
