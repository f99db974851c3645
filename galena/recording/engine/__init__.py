"""The recorder: runs in progress, what writes them down and what tells of them."""
