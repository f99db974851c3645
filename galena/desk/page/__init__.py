"""What reads a request at the Desk: its views, and what they answer with."""
