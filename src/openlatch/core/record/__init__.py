"""The log: what is written into it, and how its chain is proved."""
