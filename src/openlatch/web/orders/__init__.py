"""Orders about accesses and memberships over HTTP."""
