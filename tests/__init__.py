"""The tests of Lexipod."""

from hypothesis import HealthCheck, settings

# Properties are judged by what they say, never by the clock: machines are shared, and a stall of one is no fault of the code.
settings.register_profile("untimed", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("untimed")
