"""The agent: on a rig, plays a session on a variant, measures it, keeps and sends the record."""

AGENT_VERSION = "1"
