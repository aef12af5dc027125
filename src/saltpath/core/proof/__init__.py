"""The record of a watch that somebody else can check: what is hashed, how, and the checking, in one
file that needs nothing but Python."""
