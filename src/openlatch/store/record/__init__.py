"""The log as it is stored, sealed and searched."""
