"""The server: inventory, studies, runs, traces, analysis, live events, accounts."""
