"""Everything that is run on every change: see ``runner.py``."""

from hypothesis import HealthCheck, settings

from tests.effort import count

# The speed of a machine says nothing about what is tested.
settings.register_profile(
    "any machine", suppress_health_check=[HealthCheck.too_slow], deadline=None, max_examples=count(100, 20)
)
settings.load_profile("any machine")
