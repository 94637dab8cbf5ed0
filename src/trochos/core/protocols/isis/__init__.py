"""IS-IS: `ends` (which interfaces take part), `gates` (what two ends have to agree on), `speakers`
(what is announced, and the shortest ways)."""
