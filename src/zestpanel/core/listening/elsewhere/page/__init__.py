"""The page that a listener elsewhere sees: plain JavaScript, a style, and the frame that they stand in."""
