"""Fernholm Harbour, a made-up port authority, as a service that runs locally.

`server.py` listens and routes, `port.py` is the harbour itself, `fees.py` its prices, `faults.py`
its fault switches, `openapi.py` its description. State lives in memory and begins anew with each
start.
"""
