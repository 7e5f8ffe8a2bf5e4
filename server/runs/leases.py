"""How long a worker keeps what it claimed without being heard of."""

from __future__ import annotations

from datetime import timedelta

#: A worker that has not been heard of for so long is taken for dead, and its work goes on elsewhere.
LEASE = timedelta(seconds=20)
#: Seconds between two signs of life.
PULSE = 1.0
