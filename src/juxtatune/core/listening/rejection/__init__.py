"""What is not the player: bleed and drums."""
