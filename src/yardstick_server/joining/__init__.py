"""How a machine becomes a rig without a checkout: the agent as a wheel, and what installs it."""
