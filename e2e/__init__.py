"""Tests, pictures and measurements that need the whole application."""
