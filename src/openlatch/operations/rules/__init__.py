"""The policy in force, what it finds, and what its flags are worth."""
