"""Why something does not show: reasons with what they are about and the edits that mend them. How they are said is not
known here."""
