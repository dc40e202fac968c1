"""The command line: a skin over the public face."""
