"""What the command line runs: the servers, the build of the client, the tests."""
