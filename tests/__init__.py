"""What is run on every change: see ``runner.py``."""

from hypothesis import HealthCheck, settings

# How fast a machine draws examples says nothing of what is tested.
settings.register_profile("any machine", suppress_health_check=[HealthCheck.too_slow], deadline=None)
settings.load_profile("any machine")
