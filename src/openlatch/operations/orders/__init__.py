"""An order about one access or one membership: planned, given, followed."""
