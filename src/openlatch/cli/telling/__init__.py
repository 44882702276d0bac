"""Commands: news, the calendar and webhooks."""
