"""How a report leaves: as PDF, as one HTML file, as Markdown with its pictures, as ODT."""
