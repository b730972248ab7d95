# frozen_string_literal: true

require_relative 'quota'
require_relative 'catch'

# Crabs are counted; as many as the quota may be kept.
def handle(path, body)
  return { error: 'no crabs' } unless path == '/crabs'

  quota = Quota.new(body['quota'] || 10)
  haul = Catch.new(body['traps'] || [], body['buoy'])
  caught = haul.total
  {
    buoy: haul.buoy,
    caught: caught,
    keeps: quota.allows?(caught),
    back: quota.back(caught),
    each: haul.mean
  }
end
