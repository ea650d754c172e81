"""Ways of looking and measuring that never enter the result."""

from retouch.checks.gauges import Gauge, gauges
from retouch.checks.look import Check, CheckName, looked, pixels_seen

__all__ = ["Check", "CheckName", "Gauge", "gauges", "looked", "pixels_seen"]
