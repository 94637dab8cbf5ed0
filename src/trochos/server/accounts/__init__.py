"""Accounts: ordinary users, and links that sign one in exactly once."""
