"""Who signs in, what they may see, and the workspace itself."""
