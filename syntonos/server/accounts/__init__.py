"""Accounts, where more than this machine is served: who may come in, and what they may do."""
