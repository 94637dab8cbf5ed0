"""Questions about a whole network: the engine asked many times, in the right order.

questions     which pairs are asked about, and what a bounded search says while it goes on
desk          what fails now, grouped by the cause that a rehearsal proves
since         which differences to an older survey broke a complaint
unknowns      what was not read, and which answers hang on it
sweep         every single failure of a link or a device
"""
