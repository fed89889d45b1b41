"""Small attacks by class: services that lie after a text was sent, and what a text may cost then."""
