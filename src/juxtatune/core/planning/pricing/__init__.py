"""What a plan costs: verified string by string, without any solver."""
