"""What reaches a place: lights and surroundings."""
