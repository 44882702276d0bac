"""The job itself: frozen values, tables of states, pure functions.

Nothing in here performs I/O, reads a clock or makes up an id: `now`, the actor and new ids are arguments.
Functions take values and return decisions that the layers above carry out.
"""
