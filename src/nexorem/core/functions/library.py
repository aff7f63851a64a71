"""The registry with every function in it."""

from nexorem.core.functions import arithmetic, dates, texts
from nexorem.core.functions.dates import IN_ROW
from nexorem.core.functions.registry import FUNCTIONS

__all__ = ["FUNCTIONS", "IN_ROW", "arithmetic", "dates", "texts"]
