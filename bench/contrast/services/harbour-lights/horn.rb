# frozen_string_literal: true

# The horn, once a minute or more often.
def horn_for(fog, boats)
  return nil if fog < 2

  every = boats > 3 ? 30 : 60
  every -= 10 if fog > 2
  "every #{every} s"
end
