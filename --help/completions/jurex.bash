_jurex() {
    local i cur prev opts cmd
    COMPREPLY=()
    if [[ "${BASH_VERSINFO[0]}" -ge 4 ]]; then
        cur="$2"
    else
        cur="${COMP_WORDS[COMP_CWORD]}"
    fi
    prev="$3"
    cmd=""
    opts=""

    for i in "${COMP_WORDS[@]:0:COMP_CWORD}"
    do
        case "${cmd},${i}" in
            ",$1")
                cmd="jurex"
                ;;
            jurex,certificate)
                cmd="jurex__subcmd__certificate"
                ;;
            jurex,check)
                cmd="jurex__subcmd__check"
                ;;
            jurex,demo)
                cmd="jurex__subcmd__demo"
                ;;
            jurex,drives)
                cmd="jurex__subcmd__drives"
                ;;
            jurex,erase)
                cmd="jurex__subcmd__erase"
                ;;
            jurex,files)
                cmd="jurex__subcmd__files"
                ;;
            jurex,free)
                cmd="jurex__subcmd__free"
                ;;
            jurex,help)
                cmd="jurex__subcmd__help"
                ;;
            jurex,keys)
                cmd="jurex__subcmd__keys"
                ;;
            jurex,label)
                cmd="jurex__subcmd__label"
                ;;
            jurex,ledger)
                cmd="jurex__subcmd__ledger"
                ;;
            jurex,look)
                cmd="jurex__subcmd__look"
                ;;
            jurex,lot)
                cmd="jurex__subcmd__lot"
                ;;
            jurex,methods)
                cmd="jurex__subcmd__methods"
                ;;
            jurex,notice)
                cmd="jurex__subcmd__notice"
                ;;
            jurex,plan)
                cmd="jurex__subcmd__plan"
                ;;
            jurex,prove)
                cmd="jurex__subcmd__prove"
                ;;
            jurex,release)
                cmd="jurex__subcmd__release"
                ;;
            jurex,residue)
                cmd="jurex__subcmd__residue"
                ;;
            jurex,schema)
                cmd="jurex__subcmd__schema"
                ;;
            jurex,start-medium)
                cmd="jurex__subcmd__start__subcmd__medium"
                ;;
            jurex,unattended)
                cmd="jurex__subcmd__unattended"
                ;;
            jurex,unlock)
                cmd="jurex__subcmd__unlock"
                ;;
            jurex,where)
                cmd="jurex__subcmd__where"
                ;;
            jurex__subcmd__help,certificate)
                cmd="jurex__subcmd__help__subcmd__certificate"
                ;;
            jurex__subcmd__help,check)
                cmd="jurex__subcmd__help__subcmd__check"
                ;;
            jurex__subcmd__help,demo)
                cmd="jurex__subcmd__help__subcmd__demo"
                ;;
            jurex__subcmd__help,drives)
                cmd="jurex__subcmd__help__subcmd__drives"
                ;;
            jurex__subcmd__help,erase)
                cmd="jurex__subcmd__help__subcmd__erase"
                ;;
            jurex__subcmd__help,files)
                cmd="jurex__subcmd__help__subcmd__files"
                ;;
            jurex__subcmd__help,free)
                cmd="jurex__subcmd__help__subcmd__free"
                ;;
            jurex__subcmd__help,help)
                cmd="jurex__subcmd__help__subcmd__help"
                ;;
            jurex__subcmd__help,keys)
                cmd="jurex__subcmd__help__subcmd__keys"
                ;;
            jurex__subcmd__help,label)
                cmd="jurex__subcmd__help__subcmd__label"
                ;;
            jurex__subcmd__help,ledger)
                cmd="jurex__subcmd__help__subcmd__ledger"
                ;;
            jurex__subcmd__help,look)
                cmd="jurex__subcmd__help__subcmd__look"
                ;;
            jurex__subcmd__help,lot)
                cmd="jurex__subcmd__help__subcmd__lot"
                ;;
            jurex__subcmd__help,methods)
                cmd="jurex__subcmd__help__subcmd__methods"
                ;;
            jurex__subcmd__help,notice)
                cmd="jurex__subcmd__help__subcmd__notice"
                ;;
            jurex__subcmd__help,plan)
                cmd="jurex__subcmd__help__subcmd__plan"
                ;;
            jurex__subcmd__help,prove)
                cmd="jurex__subcmd__help__subcmd__prove"
                ;;
            jurex__subcmd__help,release)
                cmd="jurex__subcmd__help__subcmd__release"
                ;;
            jurex__subcmd__help,residue)
                cmd="jurex__subcmd__help__subcmd__residue"
                ;;
            jurex__subcmd__help,schema)
                cmd="jurex__subcmd__help__subcmd__schema"
                ;;
            jurex__subcmd__help,start-medium)
                cmd="jurex__subcmd__help__subcmd__start__subcmd__medium"
                ;;
            jurex__subcmd__help,unattended)
                cmd="jurex__subcmd__help__subcmd__unattended"
                ;;
            jurex__subcmd__help,unlock)
                cmd="jurex__subcmd__help__subcmd__unlock"
                ;;
            jurex__subcmd__help,where)
                cmd="jurex__subcmd__help__subcmd__where"
                ;;
            jurex__subcmd__help__subcmd__keys,export)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__export"
                ;;
            jurex__subcmd__help__subcmd__keys,list)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__list"
                ;;
            jurex__subcmd__help__subcmd__keys,new)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__new"
                ;;
            jurex__subcmd__help__subcmd__keys,retire)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__retire"
                ;;
            jurex__subcmd__help__subcmd__keys,self-signed)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__self__subcmd__signed"
                ;;
            jurex__subcmd__help__subcmd__keys,show)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__show"
                ;;
            jurex__subcmd__help__subcmd__keys,trust)
                cmd="jurex__subcmd__help__subcmd__keys__subcmd__trust"
                ;;
            jurex__subcmd__help__subcmd__ledger,backup)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__backup"
                ;;
            jurex__subcmd__help__subcmd__ledger,check)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__check"
                ;;
            jurex__subcmd__help__subcmd__ledger,export)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__export"
                ;;
            jurex__subcmd__help__subcmd__ledger,find)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__find"
                ;;
            jurex__subcmd__help__subcmd__ledger,head)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__head"
                ;;
            jurex__subcmd__help__subcmd__ledger,list)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__list"
                ;;
            jurex__subcmd__help__subcmd__ledger,restore)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__restore"
                ;;
            jurex__subcmd__help__subcmd__ledger,show)
                cmd="jurex__subcmd__help__subcmd__ledger__subcmd__show"
                ;;
            jurex__subcmd__help__subcmd__lot,close)
                cmd="jurex__subcmd__help__subcmd__lot__subcmd__close"
                ;;
            jurex__subcmd__help__subcmd__lot,import)
                cmd="jurex__subcmd__help__subcmd__lot__subcmd__import"
                ;;
            jurex__subcmd__help__subcmd__lot,new)
                cmd="jurex__subcmd__help__subcmd__lot__subcmd__new"
                ;;
            jurex__subcmd__help__subcmd__lot,show)
                cmd="jurex__subcmd__help__subcmd__lot__subcmd__show"
                ;;
            jurex__subcmd__help__subcmd__notice,send)
                cmd="jurex__subcmd__help__subcmd__notice__subcmd__send"
                ;;
            jurex__subcmd__help__subcmd__notice,show)
                cmd="jurex__subcmd__help__subcmd__notice__subcmd__show"
                ;;
            jurex__subcmd__help__subcmd__notice,test)
                cmd="jurex__subcmd__help__subcmd__notice__subcmd__test"
                ;;
            jurex__subcmd__keys,export)
                cmd="jurex__subcmd__keys__subcmd__export"
                ;;
            jurex__subcmd__keys,help)
                cmd="jurex__subcmd__keys__subcmd__help"
                ;;
            jurex__subcmd__keys,list)
                cmd="jurex__subcmd__keys__subcmd__list"
                ;;
            jurex__subcmd__keys,new)
                cmd="jurex__subcmd__keys__subcmd__new"
                ;;
            jurex__subcmd__keys,retire)
                cmd="jurex__subcmd__keys__subcmd__retire"
                ;;
            jurex__subcmd__keys,self-signed)
                cmd="jurex__subcmd__keys__subcmd__self__subcmd__signed"
                ;;
            jurex__subcmd__keys,show)
                cmd="jurex__subcmd__keys__subcmd__show"
                ;;
            jurex__subcmd__keys,trust)
                cmd="jurex__subcmd__keys__subcmd__trust"
                ;;
            jurex__subcmd__keys__subcmd__help,export)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__export"
                ;;
            jurex__subcmd__keys__subcmd__help,help)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__help"
                ;;
            jurex__subcmd__keys__subcmd__help,list)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__list"
                ;;
            jurex__subcmd__keys__subcmd__help,new)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__new"
                ;;
            jurex__subcmd__keys__subcmd__help,retire)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__retire"
                ;;
            jurex__subcmd__keys__subcmd__help,self-signed)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__self__subcmd__signed"
                ;;
            jurex__subcmd__keys__subcmd__help,show)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__show"
                ;;
            jurex__subcmd__keys__subcmd__help,trust)
                cmd="jurex__subcmd__keys__subcmd__help__subcmd__trust"
                ;;
            jurex__subcmd__ledger,backup)
                cmd="jurex__subcmd__ledger__subcmd__backup"
                ;;
            jurex__subcmd__ledger,check)
                cmd="jurex__subcmd__ledger__subcmd__check"
                ;;
            jurex__subcmd__ledger,export)
                cmd="jurex__subcmd__ledger__subcmd__export"
                ;;
            jurex__subcmd__ledger,find)
                cmd="jurex__subcmd__ledger__subcmd__find"
                ;;
            jurex__subcmd__ledger,head)
                cmd="jurex__subcmd__ledger__subcmd__head"
                ;;
            jurex__subcmd__ledger,help)
                cmd="jurex__subcmd__ledger__subcmd__help"
                ;;
            jurex__subcmd__ledger,list)
                cmd="jurex__subcmd__ledger__subcmd__list"
                ;;
            jurex__subcmd__ledger,restore)
                cmd="jurex__subcmd__ledger__subcmd__restore"
                ;;
            jurex__subcmd__ledger,show)
                cmd="jurex__subcmd__ledger__subcmd__show"
                ;;
            jurex__subcmd__ledger__subcmd__help,backup)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__backup"
                ;;
            jurex__subcmd__ledger__subcmd__help,check)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__check"
                ;;
            jurex__subcmd__ledger__subcmd__help,export)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__export"
                ;;
            jurex__subcmd__ledger__subcmd__help,find)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__find"
                ;;
            jurex__subcmd__ledger__subcmd__help,head)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__head"
                ;;
            jurex__subcmd__ledger__subcmd__help,help)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__help"
                ;;
            jurex__subcmd__ledger__subcmd__help,list)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__list"
                ;;
            jurex__subcmd__ledger__subcmd__help,restore)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__restore"
                ;;
            jurex__subcmd__ledger__subcmd__help,show)
                cmd="jurex__subcmd__ledger__subcmd__help__subcmd__show"
                ;;
            jurex__subcmd__lot,close)
                cmd="jurex__subcmd__lot__subcmd__close"
                ;;
            jurex__subcmd__lot,help)
                cmd="jurex__subcmd__lot__subcmd__help"
                ;;
            jurex__subcmd__lot,import)
                cmd="jurex__subcmd__lot__subcmd__import"
                ;;
            jurex__subcmd__lot,new)
                cmd="jurex__subcmd__lot__subcmd__new"
                ;;
            jurex__subcmd__lot,show)
                cmd="jurex__subcmd__lot__subcmd__show"
                ;;
            jurex__subcmd__lot__subcmd__help,close)
                cmd="jurex__subcmd__lot__subcmd__help__subcmd__close"
                ;;
            jurex__subcmd__lot__subcmd__help,help)
                cmd="jurex__subcmd__lot__subcmd__help__subcmd__help"
                ;;
            jurex__subcmd__lot__subcmd__help,import)
                cmd="jurex__subcmd__lot__subcmd__help__subcmd__import"
                ;;
            jurex__subcmd__lot__subcmd__help,new)
                cmd="jurex__subcmd__lot__subcmd__help__subcmd__new"
                ;;
            jurex__subcmd__lot__subcmd__help,show)
                cmd="jurex__subcmd__lot__subcmd__help__subcmd__show"
                ;;
            jurex__subcmd__notice,help)
                cmd="jurex__subcmd__notice__subcmd__help"
                ;;
            jurex__subcmd__notice,send)
                cmd="jurex__subcmd__notice__subcmd__send"
                ;;
            jurex__subcmd__notice,show)
                cmd="jurex__subcmd__notice__subcmd__show"
                ;;
            jurex__subcmd__notice,test)
                cmd="jurex__subcmd__notice__subcmd__test"
                ;;
            jurex__subcmd__notice__subcmd__help,help)
                cmd="jurex__subcmd__notice__subcmd__help__subcmd__help"
                ;;
            jurex__subcmd__notice__subcmd__help,send)
                cmd="jurex__subcmd__notice__subcmd__help__subcmd__send"
                ;;
            jurex__subcmd__notice__subcmd__help,show)
                cmd="jurex__subcmd__notice__subcmd__help__subcmd__show"
                ;;
            jurex__subcmd__notice__subcmd__help,test)
                cmd="jurex__subcmd__notice__subcmd__help__subcmd__test"
                ;;
            *)
                ;;
        esac
    done

    case "${cmd}" in
        jurex)
            opts="-h -V --theme --help --version demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 1 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__certificate)
            opts="-h --lot --demo --out --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --lot)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__check)
            opts="-h --qr --key --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --qr)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --key)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__demo)
            opts="-h --unattended --out --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__drives)
            opts="-h --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__erase)
            opts="-h --method --passes --way --then --stated --leave-hidden --keep-lifted --restore-configuration --size-check --leftovers --mark --rounds --blank --verify --from --to --partition --retries --faults --rules --label-check --psid --psid-file --admin-password-file --out --resume --json --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --method)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --passes)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --way)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --then)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --stated)
                    COMPREPLY=($(compgen -W "encrypted-from-start key-strength keys-not-escrowed module-trusted maker-confirms rated-degausser" -- "${cur}"))
                    return 0
                    ;;
                --size-check)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --mark)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --rounds)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --verify)
                    COMPREPLY=($(compgen -W "full sampled full-every-pass sampled-every-pass none" -- "${cur}"))
                    return 0
                    ;;
                --from)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --to)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --partition)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --retries)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --faults)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --rules)
                    COMPREPLY=($(compgen -W "rev1 rev2" -- "${cur}"))
                    return 0
                    ;;
                --label-check)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --psid)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --psid-file)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --admin-password-file)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__files)
            opts="-h --passes --keep-names --plan --yes-count --with-names --resume --out --by --json --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --passes)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --yes-count)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --by)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__free)
            opts="-h --passes --reserve --plan --out --by --json --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --passes)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --reserve)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --by)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help)
            opts="demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__certificate)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__check)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__demo)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__drives)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__erase)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__files)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__free)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__help)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys)
            opts="new list show export retire self-signed trust"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__export)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__list)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__new)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__retire)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__self__subcmd__signed)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__keys__subcmd__trust)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__label)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger)
            opts="check head list backup restore show find export"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__backup)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__check)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__export)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__find)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__head)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__list)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__restore)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__ledger__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__look)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__lot)
            opts="new import show close"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__lot__subcmd__close)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__lot__subcmd__import)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__lot__subcmd__new)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__lot__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__methods)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__notice)
            opts="test show send"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__notice__subcmd__send)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__notice__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__notice__subcmd__test)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__plan)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__prove)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__release)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__residue)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__schema)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__start__subcmd__medium)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__unattended)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__unlock)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__help__subcmd__where)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys)
            opts="-h --theme --help new list show export retire self-signed trust help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__export)
            opts="-h --jwk --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help)
            opts="new list show export retire self-signed trust help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__export)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__help)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__list)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__new)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__retire)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__self__subcmd__signed)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__help__subcmd__trust)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__list)
            opts="-h --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__new)
            opts="-h --name --passphrase-file --no-passphrase --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --name)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --passphrase-file)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__retire)
            opts="-h --since --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --since)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__self__subcmd__signed)
            opts="-h --name --days --out --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --name)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --days)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__show)
            opts="-h --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__keys__subcmd__trust)
            opts="-h --name --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --name)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__label)
            opts="-h --lot --size --first --out --print --demo --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --lot)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --size)
                    COMPREPLY=($(compgen -W "62x29 89x36 a4-21 a4-24" -- "${cur}"))
                    return 0
                    ;;
                --first)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --print)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger)
            opts="-h --demo --theme --help check head list backup restore show find export help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__backup)
            opts="-h --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__check)
            opts="-h --since --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --since)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__export)
            opts="-h --as --out --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --as)
                    COMPREPLY=($(compgen -W "csv json-lines records" -- "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__find)
            opts="-h --most --json --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --most)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__head)
            opts="-h --take --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help)
            opts="check head list backup restore show find export help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__backup)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__check)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__export)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__find)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__head)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__help)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__list)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__restore)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__help__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__list)
            opts="-h --most --json --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --most)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__restore)
            opts="-h --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__ledger__subcmd__show)
            opts="-h --json --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__look)
            opts="-h --json --beacon --as-left --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --beacon)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot)
            opts="-h --demo --theme --help new import show close help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__close)
            opts="-h --incomplete --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help)
            opts="new import show close help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help__subcmd__close)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help__subcmd__help)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help__subcmd__import)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help__subcmd__new)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__help__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__import)
            opts="-h --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__new)
            opts="-h --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__lot__subcmd__show)
            opts="-h --json --demo --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__methods)
            opts="-h --search --import --export --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --search)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --import)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --export)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice)
            opts="-h --theme --help test show send help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__help)
            opts="test show send help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__help__subcmd__help)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__help__subcmd__send)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__help__subcmd__show)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__help__subcmd__test)
            opts=""
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 4 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__send)
            opts="-h --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__show)
            opts="-h --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__notice__subcmd__test)
            opts="-h --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 3 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__plan)
            opts="-h --sensitivity --reuse --leaves --policy --method --passes --way --then --stated --leave-hidden --keep-lifted --restore-configuration --size-check --leftovers --mark --rounds --blank --verify --from --to --partition --retries --faults --rules --no-sample --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --sensitivity)
                    COMPREPLY=($(compgen -W "low moderate high" -- "${cur}"))
                    return 0
                    ;;
                --reuse)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --leaves)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --policy)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --method)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --passes)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --way)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --then)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --stated)
                    COMPREPLY=($(compgen -W "encrypted-from-start key-strength keys-not-escrowed module-trusted maker-confirms rated-degausser" -- "${cur}"))
                    return 0
                    ;;
                --size-check)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --mark)
                    COMPREPLY=($(compgen -W "yes no" -- "${cur}"))
                    return 0
                    ;;
                --rounds)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --verify)
                    COMPREPLY=($(compgen -W "full sampled full-every-pass sampled-every-pass none" -- "${cur}"))
                    return 0
                    ;;
                --from)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --to)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --partition)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --retries)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --faults)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --rules)
                    COMPREPLY=($(compgen -W "rev1 rev2" -- "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__prove)
            opts="-h --due --lot --record --expect --verify --leftovers --by --out --json --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --lot)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --record)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --expect)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --verify)
                    COMPREPLY=($(compgen -W "full sampled" -- "${cur}"))
                    return 0
                    ;;
                --by)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__release)
            opts="-h --as --by --from --to --place --service --batch --certificate --how --pieces --field --coercivity --rated --machine --done-by --witness --photo --class --table --volume --spare --discard --label-check --statement --why --demo --out --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --as)
                    COMPREPLY=($(compgen -W "received at-bench blank prepared tables-cleared destroyed sent-out stored returned handed-over withdrawn" -- "${cur}"))
                    return 0
                    ;;
                --by)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --from)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --to)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --place)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --service)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --batch)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --certificate)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --how)
                    COMPREPLY=($(compgen -W "disintegrated shredded pulverized incinerated melted crushed drilled cut bent degaussed" -- "${cur}"))
                    return 0
                    ;;
                --pieces)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --field)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --coercivity)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --machine)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --done-by)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --witness)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --photo)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --class)
                    COMPREPLY=($(compgen -W "magnetic solid-state removable-flash embedded-flash optical" -- "${cur}"))
                    return 0
                    ;;
                --table)
                    COMPREPLY=($(compgen -W "gpt mbr" -- "${cur}"))
                    return 0
                    ;;
                --volume)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --spare)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --label-check)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --statement)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --why)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__residue)
            opts="-h --sampled --json --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__schema)
            opts="-h --theme --help record plan event verification lot release files"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__start__subcmd__medium)
            opts="-h --label-check --quiet --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --label-check)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__unattended)
            opts="-h --out --screen --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --out)
                    COMPREPLY=($(compgen -f "${cur}"))
                    return 0
                    ;;
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__unlock)
            opts="-h --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
        jurex__subcmd__where)
            opts="-h --demo --json --theme --help"
            if [[ ${cur} == -* || ${COMP_CWORD} -eq 2 ]] ; then
                COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
                return 0
            fi
            case "${prev}" in
                --theme)
                    COMPREPLY=($(compgen -W "dark light mono" -- "${cur}"))
                    return 0
                    ;;
                *)
                    COMPREPLY=()
                    ;;
            esac
            COMPREPLY=( $(compgen -W "${opts}" -- "${cur}") )
            return 0
            ;;
    esac
}

if [[ "${BASH_VERSINFO[0]}" -eq 4 && "${BASH_VERSINFO[1]}" -ge 4 || "${BASH_VERSINFO[0]}" -gt 4 ]]; then
    complete -F _jurex -o nosort -o bashdefault -o default jurex
else
    complete -F _jurex -o bashdefault -o default jurex
fi
