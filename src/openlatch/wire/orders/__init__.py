"""Messages: plans, orders and receipts."""
