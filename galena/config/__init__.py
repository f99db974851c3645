"""Settings, addresses and the ASGI application."""
