"""All tests. Property tests draw the same examples in each run and have no time limit: machines differ."""

from hypothesis import HealthCheck, settings

settings.register_profile("suite", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("suite")
