"""Messages: providers, readings, and the protocol of feeds."""
