require 'sidekiq'

ADDRESS = { url: "redis://127.0.0.1:#{ENV.fetch('REDIS_PORT')}/1" }.freeze
Sidekiq.configure_server { |config| config.redis = ADDRESS }
Sidekiq.configure_client { |config| config.redis = ADDRESS }

def total_of(n)
  total = n * 2
  total
end

class Slip
  include Sidekiq::Worker

  def perform(n)
    File.write(ENV.fetch('SLIPS'), "#{n} #{total_of(n)}\n", mode: 'a')
  end
end

(ARGV[0].to_i...ARGV[1].to_i).each { |n| Slip.perform_async(n) } if ARGV.size == 2
