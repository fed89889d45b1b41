"""The outside world, played: a hosted service over HTTP and a local engine as a command.

They really speak, offline, and are reached through the same connectors as any other engine.
"""
