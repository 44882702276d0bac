"""Messages: offers, requests and links."""
