"""The shapes of the API's answers, as serializers: they describe, the core fills.

The documents themselves come from the core exactly as the command line prints them;
these classes exist so that the OpenAPI document, and the client made from it, know them.

base      what several documents are made of
journeys  a complaint on its way: routes, hops, legs, sizes, names, the ladder
findings  what is wrong, and the edits that undo it
reasons   why: neighbour relations, decisions, ends of links, chains of announcements
surveys   what was stored and read: surveys, devices, sources, the map
casework  cases and their causes
changes   changes rehearsed, proposed, handed over, and two surveys compared
whole     what is said of a whole network: the desk
"""

# ruff: noqa: F403
from .base import *
from .casework import *
from .changes import *
from .findings import *
from .journeys import *
from .reasons import *
from .surveys import *
from .whole import *
