"""Films of runs: kept as they come, made ready to be played; races, taken along as one film."""
