"""What rigs ask and deliver."""
