#!/usr/bin/env bash
# A real Slurm of one node on this machine, without systemd, for the test of farms: loopback only.
# usage: slurm.sh start DIR | stop DIR      exit 77: it cannot be started here
set -euo pipefail
what=$1
dir=$2
host=$(hostname -s)
case "$what" in
  start)
    for program in slurmctld slurmd sbatch munged munge; do
      PATH=$PATH:/usr/sbin command -v "$program" > /dev/null || { echo "there is no $program" >&2; exit 77; }
    done
    [[ $(id -u) -eq 0 ]] || { echo "it is started by root only" >&2; exit 77; }
    mkdir -p "$dir/state" "$dir/spool" /run/munge
    [[ -s /etc/munge/munge.key ]] || dd if=/dev/urandom of=/etc/munge/munge.key bs=1 count=1024 status=none
    chown -R munge:munge /etc/munge /var/lib/munge /var/log/munge /run/munge
    chmod 400 /etc/munge/munge.key
    munge -n 2> /dev/null | unmunge > /dev/null 2>&1 || su -s /bin/sh munge -c /usr/sbin/munged
    cat > "$dir/slurm.conf" <<CONF
ClusterName=ilumbra
SlurmctldHost=$host(127.0.0.1)
SlurmctldPort=16827
SlurmdPort=16828
AuthType=auth/munge
SlurmUser=root
SlurmdUser=root
StateSaveLocation=$dir/state
SlurmdSpoolDir=$dir/spool
SlurmctldPidFile=$dir/slurmctld.pid
SlurmdPidFile=$dir/slurmd.pid
SlurmctldLogFile=$dir/slurmctld.log
SlurmdLogFile=$dir/slurmd.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
JobAcctGatherType=jobacct_gather/none
AccountingStorageType=accounting_storage/none
MpiDefault=none
ReturnToService=2
SchedulerType=sched/builtin
SelectType=select/cons_tres
SelectTypeParameters=CR_Core
NodeName=$host NodeAddr=127.0.0.1 CPUs=$(nproc) State=UNKNOWN
PartitionName=all Nodes=$host Default=YES MaxTime=INFINITE State=UP
CONF
    export SLURM_CONF="$dir/slurm.conf"
    /usr/sbin/slurmctld > "$dir/start.log" 2>&1
    sleep 2
    /usr/sbin/slurmd -N "$host" >> "$dir/start.log" 2>&1
    sleep 2
    sinfo >> "$dir/start.log" 2>&1
    ;;
  stop)
    for p in slurmd slurmctld; do
      [[ -f "$dir/$p.pid" ]] && kill "$(cat "$dir/$p.pid")" || true
    done
    ;;
esac
