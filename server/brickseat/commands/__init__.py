"""What the commands of the command line do, imported when they are run."""
