"""Providers and readings over HTTP."""
