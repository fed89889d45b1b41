"""Speed and memory, measured by ./zest bench; never timed asserts in tests."""
