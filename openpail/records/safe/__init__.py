"""Backups that are made by themselves."""
