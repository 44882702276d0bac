"""Outside services: read on a schedule, understood word by word."""
