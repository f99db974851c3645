"""Findings: asked, worked out when shown, built on one another."""
