"""The gate: builds of a build server, each measured against the baseline of a study."""
