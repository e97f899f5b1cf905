"""What the trade knows about treating water: pure Python, no Django, no I/O, no clock.

The one door is :func:`treatment.design.design`: a job document in, a design out.
"""

ENGINE = "0.7.0"
