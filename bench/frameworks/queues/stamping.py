import os
import sys

from celery import Celery

app = Celery('stamping', broker='redis://127.0.0.1:%s/0' % os.environ['REDIS_PORT'])


def total_of(n):
    total = n * 2
    return total


@app.task(name='stamping.print_slip')
def print_slip(n):
    with open(os.environ['SLIPS'], 'a') as slips:
        slips.write('%d %d\n' % (n, total_of(n)))


if __name__ == '__main__':
    for n in range(int(sys.argv[1]), int(sys.argv[2])):
        print_slip.delay(n)
