"""The whole job without a window: everything here works, and is tested, without Qt."""
