"""What the house asks and the source gives: demand, pipe, pump, rain, vessels, needs."""
