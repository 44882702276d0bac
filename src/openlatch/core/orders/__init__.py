"""What can be done about an access: its plan, its steps, and how an order of it moves."""
