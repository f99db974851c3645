"""From a curve to a straight line, and from the line back to the law."""
