"""Reviews that come round, what people decide in them, and what is reported."""
