"""Open Latch: an inventory of access to shared accounts, reviewed, flagged and taken back with proof."""

__all__ = ["__version__"]

__version__ = "0.1.0"
