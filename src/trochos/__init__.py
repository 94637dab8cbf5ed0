"""Trochos: where a packet dies, and why."""

import logging

# As libraries do: what is logged goes where whoever uses this sends it, and nowhere by itself.
logging.getLogger(__name__).addHandler(logging.NullHandler())
