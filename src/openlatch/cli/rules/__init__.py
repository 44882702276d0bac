"""Commands: flags, risks and the policy."""
