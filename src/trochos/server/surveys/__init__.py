"""Surveys, cases, and everything computed of them, over the API."""
