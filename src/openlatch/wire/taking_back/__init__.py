"""Messages: batches."""
