"""Real routers: FRR in network namespaces, compared with what Trochos computes."""
