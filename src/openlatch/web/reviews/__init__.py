"""Reviews and their reports over HTTP."""
