require 'sinatra/base'
require_relative 'passage'

class Office < Sinatra::Base
  get('/quotes/:number') { quote(params['number'].to_i).to_s }
end
run Office
