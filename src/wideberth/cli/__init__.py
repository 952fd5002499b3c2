"""The command line: a second, equal user of the core. One file a command."""
