"""The desk: Qt widgets over the core. Widgets show and ask; they neither compute nor speak SQL."""
