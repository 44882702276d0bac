"""The log as people read it, and its sealing."""
