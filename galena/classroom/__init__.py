"""People, and the one answer to "may this person see or change this?"."""
