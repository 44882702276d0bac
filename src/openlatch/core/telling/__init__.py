"""What people are told, and how."""
