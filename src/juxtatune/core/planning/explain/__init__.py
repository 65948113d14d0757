"""Why a plan is as it is: sensitivity, and rules that cannot all hold."""
