"""Who may use the server: workspaces, members, sign-in."""
