"""FRR's configuration text, and the tables it prints as JSON."""
