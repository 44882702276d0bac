"""What changes would change, worked out before anything is done."""
