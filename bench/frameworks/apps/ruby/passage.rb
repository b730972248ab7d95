def quote(number)
  total = number * 2
  total
end
