"""Any quantity of a trial at any moments: values with weights on samples and sensitivities to
facts.

Imports `definitions`. Must never know which readings or accounts are made of the values.
"""
