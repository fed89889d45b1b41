"""The strip: the tray's clips as lanes under the words of the passage."""
