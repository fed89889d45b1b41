"""Pictures of the core drawn with a painter, pointed at and copied."""
