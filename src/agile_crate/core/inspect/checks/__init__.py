"""The survey's checks: functions from a sequence's facts to findings. docs/survey.md lists the codes with their
formulas."""
