"""Commands: orders, about one access or one membership."""
