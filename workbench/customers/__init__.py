"""Customers and places: who and where, with what a firm keeps of a person, to be taken out or removed."""
