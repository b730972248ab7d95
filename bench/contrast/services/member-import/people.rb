# What is printed on a card.
module People
  def self.card(person, greet: false)
    reach = reach_of(person)
    text = "#{person[:name]} (#{reach})"
    text = "Dear #{text}" if greet
    { text: text, group: person[:seats] > 1 }
  end

  def self.reach_of(person)
    person[:mail].empty? ? person[:fone] : person[:mail]
  end
end
