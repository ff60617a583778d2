"""Any quantity of a trial at any moments: values with weights on samples and sensitivities to
facts.

Imports `accounts` and `definitions`. Must never know which readings are taken of the values.
"""
