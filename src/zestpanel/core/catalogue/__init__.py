"""Engines, models, voices, plans and rights, as the connector files state them, and candidates made of them."""
