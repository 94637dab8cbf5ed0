"""Changes of a survey: edits on the source text, their rehearsal, and two surveys compared."""
