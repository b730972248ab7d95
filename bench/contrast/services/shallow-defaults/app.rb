# Profiles of regular customers: what they have chosen, over what the office assumes.
require_relative 'profiles'
require_relative 'offers'

def handle(_path, body)
  profile = Profiles.build(body['choices'] || {})
  extras = body['extras'] || []
  extras.each { |extra| Profiles.add(profile, extra) }
  offers = offers_for(profile)
  monthly = offers.sum { |offer| offer[:price] }
  { 'seat' => profile[:seat], 'extras' => profile[:extras].dup, 'offers' => offers.map { |offer| offer[:name] },
    'monthly' => monthly, 'news' => profile[:news] }
end

def offers_for(profile)
  found = Offers.always.dup
  profile[:extras].each do |extra|
    offer = Offers.for_extra(extra)
    found << offer if offer
  end
  found << Offers.window if profile[:seat] == 'window'
  found
end
