"""What goes over the wire: the line protocol, boards that print numbers, meters that speak SCPI."""
