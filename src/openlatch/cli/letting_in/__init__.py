"""Commands: offers, requests and links."""
