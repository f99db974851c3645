"""Places that people have connected: ports, and addresses in the network that were typed."""
