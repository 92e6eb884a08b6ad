"""What a macro can see and do: values, kinds, fields, actions, changes, problems and the host."""
