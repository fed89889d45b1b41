"""From an example to a connector file. Everything is a guess that the person sees and can change."""
