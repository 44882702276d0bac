"""Messages: flags, risks and policies."""
