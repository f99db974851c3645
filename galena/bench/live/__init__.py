"""What goes on now: feeds of instruments, strips, the hub of live events."""
