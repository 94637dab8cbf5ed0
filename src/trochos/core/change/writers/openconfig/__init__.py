"""Devices given as OpenConfig data, edited by path: `tree` says what stands outside protocols,
`part` what they have in common, and each protocol has a module of its own."""
