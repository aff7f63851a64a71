"""Nexorem: star schemas whose numbers explain themselves."""

import sys

__version__ = "0.6.0"

# A formula may be 200 levels deep; each level costs the parser and the binder a handful of frames.
sys.setrecursionlimit(max(sys.getrecursionlimit(), 6000))
