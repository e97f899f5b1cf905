"""Small stand-ins for devices of a house, to try the door that real ones would use."""
