"""Engines reached over the network, as their connector files declare it: by requests or by a WebSocket."""
