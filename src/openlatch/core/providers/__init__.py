"""What a provider shows, can do, and means by its words."""
