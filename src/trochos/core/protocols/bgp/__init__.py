"""BGP version 4 (RFC 4271), for all speakers at once.

found       neighbours that are met at an interface or in a range
ends        one side of a session
gates       what has to fit for a session, read at both ends
sessions    which pairs of speakers come to talk, gate by gate
paths       one path with its attributes, and the order in which paths are preferred
local       what a speaker announces itself
leaks       what routing instances of a device take over from each other
exchange    what a speaker takes from and gives to each neighbour
speaker     one speaker in one family; what was said last, and what that rests on
aggregates  what aggregates are made of and hide
candidates  what best paths are to the table
speakers    the whole, as the scheduler sees it: sessions, rounds of updates
"""
