"""What numbers and scripts mean: no interface, no network, no screen."""

#: Stored with every reading, raised whenever a reading or a verdict would come out differently.
CORE_VERSION = "20"

#: What agent and server say to one another; they must speak the same. docs/ingest.md describes it.
PROTOCOL = "5"
#: Agents of one version before are served still: they call what is right-censored `longer_than`.
OLDER_PROTOCOL = "4"
